"""The house itself: which way imports run, generated files, what a wheel contains."""

from __future__ import annotations

import ast
import subprocess
import sys
import sysconfig
import tempfile
import unittest
import zipfile
from functools import cache
from pathlib import Path

from tools.openapi import document

from tests.support.lab import ROOT
from tests.test_guides import SCRIPTS

BESIDE = "anything"

SOURCE = ROOT / "src" / "even_roster"
MAY_IMPORT = {
    "core": set(), "wire": {"core"}, "api": set(), "probe": {"wire", "core"}, "standin": {"wire", "core", "probe"},
    "apart": {"core"}, "dhcp": {"core"}, "store": {"core"}, "service": {"apart", "api", "store", "standin", "probe", "dhcp", "wire", "core"}, "client": {"api"},
    "cli": {"client", "core", "api"},
}  # fmt: skip
ROOMS = {
    "aids": set(), "knowing": set(), "web": {"aids", "knowing"}, "naming": {"web"}, "vendors": {"web"}, "scans": {"knowing", "web"},
    "plan": {"knowing", "naming", "web", "scans"}, "devices": {"knowing", "naming", "web", "scans", "plan"},
    "calling": {"aids", "knowing", "naming", "web", "watching"},
    "fitting": {"aids", "changing", "knowing", "naming", "web", "devices", "plan", "watching"},
    "changing": {"naming", "web", "devices"}, "switches": {"aids", "knowing", "naming", "watching", "web"},
    "wiring": {"aids", "knowing", "naming", "switches", "watching", "web"},
    "dhcp": {"aids", "knowing", "naming", "web", "scans", "plan"}, "findings": {"aids", "naming", "web", "devices", "plan"},
    "watching": {"aids", "knowing", "naming", "web", "scans", "findings"},
    "lookup": {"knowing", "naming", "web", "scans", "plan", "findings", "watching"},
    "health": {"web", "scans", "watching"}, "demo": {"devices", "dhcp", "knowing", "naming", "plan", "web"},
}  # fmt: skip
"""Which rooms of the service may see which; the hall (what all share) sees what is known and how to run, and only app and run see all."""
HALL_SEES = {"aids", "knowing", "vendors"}
HALL = {"context", "settings", "views", "refs", "setting_edits"}
SERVE_MAY = {"service", "standin", "probe", "store"}
ALLOW_MAY = {"dhcp"}
"""What lets a service reach a server writes the host's file itself, and checks it as the service would."""
NO_IO = {
    "socket",
    "asyncio",
    "os",
    "subprocess",
    "threading",
    "pathlib",
    "time",
    "sqlite3",
    "sqlalchemy",
    "fastapi",
    "httpx",
    "random",
}


@cache
def imports(path: Path) -> set[str]:
    """Absolute names of everything a module imports."""
    package = path.relative_to(SOURCE.parent).with_suffix("").parts[:-1]
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = list(package[: len(package) - node.level + 1]) if node.level else []
            module = ".".join([*base, *([node.module] if node.module else [])])
            found |= {f"{module}.{alias.name}" for alias in node.names}
    return found


class Imports(unittest.TestCase):
    def test_layers_import_one_way(self) -> None:
        seen = 0
        for layer, allowed in MAY_IMPORT.items():
            for path in (SOURCE / layer).rglob("*.py"):
                may = allowed | {layer} | (SERVE_MAY if path.name == "serve.py" and layer == "cli" else set())
                may |= ALLOW_MAY if path.name in ("allowing.py", "dhcp.py") and layer == "cli" else set()
                for name in imports(path):
                    parts = name.split(".")
                    if parts[0] == "even_roster" and len(parts) > 1 and parts[1] in MAY_IMPORT:
                        seen += 1
                        self.assertIn(parts[1], may, f"{path.relative_to(ROOT)} imports {name}")
        self.assertGreater(seen, 200)

    def test_rooms_of_the_service_see_only_what_they_may(self) -> None:
        seen = 0
        folder = SOURCE / "service"
        self.assertEqual({path.name for path in folder.iterdir() if (path / "__init__.py").exists()}, set(ROOMS))
        for path in folder.rglob("*.py"):
            inside = path.relative_to(folder).parts
            room = inside[0] if len(inside) > 1 else ""
            if not room and path.stem not in HALL:
                continue
            may = {room} | (ROOMS[room] if room else HALL_SEES) | (HALL if room not in ("aids", "knowing") else set())
            for name in imports(path):
                parts = name.split(".")
                if parts[:2] == ["even_roster", "service"] and len(parts) > 2:
                    seen += 1
                    self.assertIn(parts[2], may, f"{path.relative_to(ROOT)} imports {name}")
        self.assertGreater(seen, 100)

    def test_no_two_modules_need_each_other(self) -> None:
        """Circles are looked for among all imports, those within functions and for type checkers only too."""
        modules = {
            ".".join(path.relative_to(SOURCE.parent).with_suffix("").parts): path for path in SOURCE.rglob("*.py")
        }
        needs: dict[str, set[str]] = {}
        for name, path in modules.items():
            found = imports(path)
            needs[name] = {one for one in {*found, *(one.rpartition(".")[0] for one in found)} if one in modules} - {
                name
            }
        left = dict(needs)
        while free := {name for name, wanted in left.items() if not wanted & left.keys()}:
            for name in free:
                del left[name]
        self.assertEqual({name: sorted(wanted & left.keys()) for name, wanted in left.items()}, {})
        self.assertGreater(len(needs), 200)

    def test_the_stand_in_sees_only_the_segment_interface_of_the_probe(self) -> None:
        for path in (SOURCE / "standin").glob("*.py"):
            for name in imports(path):
                if name.startswith("even_roster.probe"):
                    self.assertTrue(name.startswith("even_roster.probe.segment."), f"{path.name} imports {name}")

    def test_core_and_wire_do_no_io(self) -> None:
        for layer in ("core", "wire"):
            for path in (SOURCE / layer).rglob("*.py"):
                self.assertEqual({name.split(".")[0] for name in imports(path)} & NO_IO, set(), path.name)


class Files(unittest.TestCase):
    def test_every_module_says_what_it_is_for_and_can_be_read_in_one_sitting(self) -> None:
        for path in SOURCE.rglob("*.py"):
            text = path.read_text()
            if text.strip():
                self.assertTrue(ast.get_docstring(ast.parse(text)), path.name)
            self.assertLessEqual(len(text.splitlines()), 500, path.name)

    def test_the_types_of_the_console_are_those_of_the_service(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (folder / "openapi.json").write_text(document())
        command = [
            "npx",
            "--no-install",
            "openapi-typescript",
            str(folder / "openapi.json"),
            "--default-non-nullable=false",
            "-o",
            str(folder / "schema.d.ts"),
        ]
        subprocess.run(command, cwd=ROOT / "console", check=True, capture_output=True)
        committed = (ROOT / "console" / "src" / "api" / "schema.d.ts").read_text()
        self.assertEqual((folder / "schema.d.ts").read_text(), committed, "run the command that CONTRIBUTING names")

    def test_a_wheel_contains_the_built_console_the_migrations_and_the_types(self) -> None:
        folder = self.enterContext(tempfile.TemporaryDirectory())
        command = [
            sys.executable,
            "-m",
            "pip",
            "wheel",
            "--quiet",
            "--no-deps",
            "--no-build-isolation",
            "-w",
            folder,
            str(ROOT),
        ]
        subprocess.run(command, check=True, capture_output=True)
        place = Path(folder) / "own"
        site = place / "lib" / f"python3.{sys.version_info[1]}" / "site-packages"
        with zipfile.ZipFile(next(Path(folder).glob("*.whl"))) as wheel:
            names = wheel.namelist()
            subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(place)], check=True)
            wheel.extractall(site)
        self.assertIn("even_roster/service/static/index.html", names)
        self.assertIn("even_roster/service/vendors/blocks.txt.xz", names)
        self.assertTrue(
            any(name.startswith("even_roster/service/static/assets/") and name.endswith(".js") for name in names)
        )
        self.assertTrue(any("migrations/versions/0001" in name for name in names))
        for one in Path(sysconfig.get_paths()["purelib"]).iterdir():  # what it needs; this checkout is not among it
            if "even_roster" not in one.name and one.suffix != ".pth" and not (site / one.name).exists():
                (site / one.name).symlink_to(one)
        scripts = []
        for number, (_, script) in enumerate(SCRIPTS):
            scripts.append(Path(folder) / f"script_{number}.py")
            scripts[-1].write_text(script)
        wrong = Path(folder) / "wrong.py"
        wrong.write_text("from even_roster.client import Roster\n\nRoster().device(1).device.nonsense\n")
        command = [sys.executable, "-m", "mypy", "--strict", "--python-executable", str(place / "bin" / "python"),
                   "--cache-dir", f"{folder}/cache", *map(str, scripts), str(wrong)]  # fmt: skip
        done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
        errors = [line for line in done.stdout.splitlines() if "error:" in line]
        self.assertEqual(len(errors), 1, f"the scripts of the guide, with the client as it is installed: {done.stdout}")
        self.assertIn('wrong.py:3: error: "DeviceRow" has no attribute "nonsense"', errors[0])
        self.assertFalse(any(name.startswith(("tests", "bench", "console")) for name in names))

    def test_pictures_are_few_and_linked(self) -> None:
        pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
        readme = (ROOT / "README.md").read_text()
        self.assertTrue(0 < len(pictures) < 20)
        for picture in pictures:
            self.assertIn(picture.name, readme)


if __name__ == "__main__":
    unittest.main()
