"""What is installed from a wheel does all that its help offers."""

import os
import re
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

ROOT = Path(__file__).parents[1]


class InstalledTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        done = subprocess.run(
            [sys.executable, "-c",
             "import os, sys; from setuptools import build_meta;"
             "os.chdir(sys.argv[1]); print(build_meta.build_wheel(sys.argv[2]))",
             _copy_of_the_tree(cls.folder / "tree"), cls.folder],
            capture_output=True, text=True, check=False, timeout=120,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        cls.wheel = cls.folder / done.stdout.split()[-1]
        with zipfile.ZipFile(cls.wheel) as archive:
            cls.names = archive.namelist()
            archive.extractall(cls.folder / "site")

    def call(self, *words: object) -> subprocess.CompletedProcess:
        """The installed command, away from the source tree and without a display."""
        environment = {
            **os.environ, "PYTHONPATH": str(self.folder / "site"), "HOME": str(self.folder),
        }  # fmt: skip
        for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
            environment.pop(name, None)
        return subprocess.run(
            [sys.executable, "-m", "lather", *map(str, words)], env=environment,
            cwd=self.folder, capture_output=True, text=True, check=False, timeout=300,
        )  # fmt: skip

    def test_it_is_the_installed_one(self) -> None:
        done = self.call("--version")
        self.assertEqual(done.returncode, 0, done.stderr)
        code = "import lather; print(lather.__file__)"
        where = subprocess.run(
            [sys.executable, "-c", code], cwd=self.folder, capture_output=True, text=True,
            env={**os.environ, "PYTHONPATH": str(self.folder / "site")}, check=True,
        )  # fmt: skip
        self.assertTrue(where.stdout.startswith(str(self.folder)))

    def test_help_offers_what_is_there(self) -> None:
        offered = self.call("--help").stdout
        self.assertIn("  demo", offered)
        self.assertNotIn("bench", offered)

    def test_the_demo_is_there_and_no_ground_truth(self) -> None:
        done = self.call("info", self.folder / "site/lather/assets/demo/portrait1.lather")
        self.assertIn("2400 x 3000", done.stdout, done.stderr)
        truth = ("_mask_", "_delta_", "truth")
        self.assertFalse([name for name in self.names if any(word in name for word in truth)])
        self.assertLess(self.wheel.stat().st_size, 12.5e6)  # 11.3 of it demo, networks and fonts
        shipped = {Path(name).name for name in self.names if "/demo/" in name}
        asked = set()
        for module in ("lather/ui/scripted.py", "lather/paths.py"):
            asked |= set(re.findall(r'"(\w+\.(?:jpg|jsonl|lather))"', (ROOT / module).read_text()))
        self.assertEqual(len(asked), 3)
        self.assertLessEqual(asked, shipped)

    def test_the_demo_leaves_its_pictures_where_the_person_is(self) -> None:
        code = "from lather.paths import demo_dir, demo_shots; print(demo_dir(), demo_shots())"
        done = subprocess.run(
            [sys.executable, "-c", code], cwd=self.folder, capture_output=True, text=True,
            env={**os.environ, "PYTHONPATH": str(self.folder / "site")}, check=True,
        )  # fmt: skip
        folder, shots = done.stdout.split()
        self.assertTrue(Path(folder).is_relative_to(self.folder))
        self.assertFalse(Path(shots).is_absolute())


def _copy_of_the_tree(target: Path) -> Path:
    """What a build reads, copied, so that it leaves nothing in the tree."""
    target.mkdir()
    for name in ("lather", "demo", "pyproject.toml", "README.md"):
        (target / name).symlink_to(ROOT / name)
    return target
