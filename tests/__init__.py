"""The tests. Made-up examples are the same in every run, so that nothing fails by chance; `make endure` draws new ones.

Machines under load draw examples slowly: that is no fault of the code under test. Nothing is kept in the checkout.
"""

import os
from pathlib import Path

from hypothesis import HealthCheck, settings
from hypothesis.configuration import set_hypothesis_home_dir

RANDOM_VARIABLE = "EVEN_ROSTER_TEST_RANDOM"
"""The environment variable that has examples drawn anew in every run."""

set_hypothesis_home_dir(Path(__file__).resolve().parents[1] / ".cache" / "hypothesis")
settings.register_profile(
    "tests",
    suppress_health_check=[HealthCheck.too_slow],
    deadline=None,
    database=None,
    derandomize=not os.environ.get(RANDOM_VARIABLE),
)
settings.load_profile("tests")
