"""The tests. Machines under load draw examples slowly: that is no fault of the code under test."""

from hypothesis import HealthCheck, settings

settings.register_profile("tests", suppress_health_check=[HealthCheck.too_slow], deadline=None)
settings.load_profile("tests")
