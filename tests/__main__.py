"""Runs all tests: `python -m tests`, or some of them by name: `python -m tests test_scan_engine`."""

from __future__ import annotations

import sys
import unittest
from pathlib import Path

HERE = Path(__file__).parent


def main() -> int:
    """Run, and close with a line that counts."""
    loader = unittest.TestLoader()
    if sys.argv[1:]:
        suite = loader.loadTestsFromNames([f"tests.{name}" for name in sys.argv[1:]])
    else:
        suite = loader.discover(str(HERE), top_level_dir=str(HERE.parent))
    result = unittest.TextTestRunner(verbosity=2).run(suite)
    for test, reason in result.skipped:
        print(f"skipped: {test}: {reason}")
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped")
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
