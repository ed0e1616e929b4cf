"""Builds the console into the package, so that a wheel contains it. Everything else stands in pyproject.toml."""

import subprocess
from pathlib import Path

from setuptools import setup
from setuptools.command.build_py import build_py

ROOT = Path(__file__).parent
CONSOLE = ROOT / "console"
BUILT = ROOT / "src/even_roster/service/static/index.html"


class BuildWithConsole(build_py):
    """Runs the console's build first, where its sources are and it was not built yet."""

    def run(self) -> None:
        if not self.editable_mode and not BUILT.exists() and (CONSOLE / "package.json").exists():
            subprocess.run(["npm", "install", "--no-audit", "--no-fund"], cwd=CONSOLE, check=True)
            subprocess.run(["npm", "run", "build"], cwd=CONSOLE, check=True)
        super().run()


setup(cmdclass={"build_py": BuildWithConsole})
