"""Made-up examples for tests (hypothesis): the same in every run, so that nothing fails by chance; `make endure` draws new ones.

Machines under load draw examples slowly: that is no fault of the code under test. Nothing is kept in the checkout. Tests take all they
need of the library from here, so that nobody draws without this; processes that draw nothing do not wait for it.
"""

import os
from pathlib import Path

os.environ["HYPOTHESIS_NO_PLUGINS"] = "1"  # they import other frameworks for tests, half a second of them

from hypothesis import HealthCheck, assume, example, given, settings
from hypothesis import strategies as st
from hypothesis.configuration import set_hypothesis_home_dir

__all__ = ["assume", "example", "given", "settings", "st"]

RANDOM_VARIABLE = "EVEN_ROSTER_TEST_RANDOM"
"""The environment variable that has examples drawn anew in every run."""

set_hypothesis_home_dir(Path(__file__).resolve().parents[2] / ".cache" / "hypothesis")
settings.register_profile(
    "tests",
    suppress_health_check=[HealthCheck.too_slow],
    deadline=None,
    database=None,
    derandomize=not os.environ.get(RANDOM_VARIABLE),
)
settings.load_profile("tests")
