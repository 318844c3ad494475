"""Among the user's applications: what lies where, that a desktop reads it, and that all of it goes again."""

from __future__ import annotations

import configparser
import os
import shutil
import subprocess
import sys
import sysconfig
import tempfile
import unittest
import xml.etree.ElementTree as ET
import zipfile
from pathlib import Path

from ledgecliff.store.desktop_install import exec_words, install, uninstall
from tests.running import TOP

MIME = "{http://www.freedesktop.org/standards/shared-mime-info}"


class InstallTest(unittest.TestCase):
    def setUp(self):
        self.data = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.data)

    def test_there_and_gone_again(self):
        beside = self.data / "applications" / "other.desktop"
        beside.parent.mkdir(parents=True)
        beside.write_text("[Desktop Entry]\n")
        written = install(["/opt/a b/run", "cli", "open"], self.data)
        self.assertEqual(len(written), 4)
        entry = configparser.RawConfigParser()
        entry.read(self.data / "applications" / "ledgecliff.desktop", encoding="utf-8")
        said = dict(entry["Desktop Entry"])
        self.assertEqual(
            (said["type"], said["exec"], said["icon"]), ("Application", '"/opt/a b/run" cli open %f', "ledgecliff")
        )
        kinds = ET.parse(self.data / "mime" / "packages" / "ledgecliff.xml").getroot()
        types = {each.get("type") for each in kinds.iter(f"{MIME}mime-type")}
        self.assertEqual(types, set(said["mimetype"].strip(";").split(";")))
        for path in written:
            self.assertNotIn("{", path.read_text(encoding="utf-8").replace("{http", ""), path)
        self.assertEqual(sorted(uninstall(self.data)), sorted(written))
        self.assertTrue(beside.exists())
        self.assertEqual(uninstall(self.data), [])

    def test_what_jobs_and_runs_begin_with_is_what_is_looked_for(self):
        install(["ledgecliff", "open"], self.data)
        kinds = ET.parse(self.data / "mime" / "packages" / "ledgecliff.xml").getroot()
        demo = Path(TOP) / "ledgecliff" / "demo"
        for name, file in (("job", "float_housing.json"), ("run", "tuesday/tuesdays_table.json"),
                           ("backlog", "tuesday/backlog.json")):  # fmt: skip
            type_ = f"application/x-ledgecliff-{name}+json"
            kind = next(each for each in kinds if each.get("type") == type_)
            match = kind.find(f"{MIME}magic/{MIME}match")
            low, high = map(int, match.get("offset").split(":"))
            at = (demo / file).read_text(encoding="utf-8").find(match.get("value"))
            self.assertTrue(low <= at <= high, name)

    @unittest.skipUnless(shutil.which("appstreamcli"), "appstreamcli is not installed")
    def test_software_centres_can_read_it(self):
        install(["ledgecliff", "open"], self.data)
        path = self.data / "metainfo" / "ledgecliff.metainfo.xml"
        command = ["appstreamcli", "validate", "--no-net", "--pedantic", str(path)]
        told = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertNotRegex(told.stdout, r"(?m)^E:", told.stdout)

    def test_commands_as_the_specification_has_them(self):
        for words, told in (
            (["/usr/bin/run"], "/usr/bin/run"), (["/a b"], '"/a b"'), (["100%"], "100%%"),
            (['say "x"'], '"say \\\\"x\\\\""'),
            (["$HOME/x"], '"\\\\$HOME/x"'), ([""], '""'),
        ):  # fmt: skip
            self.assertEqual(exec_words(words), told)


class WheelTest(unittest.TestCase):
    def test_installed_into_a_fresh_environment_it_does_its_work(self):
        """What others made is lent to it from here; what is Ledgecliff's own is in the wheel, or it is not there."""
        with tempfile.TemporaryDirectory() as folder:
            top, source = Path(folder), Path(folder) / "source"
            left_out = shutil.ignore_patterns(".*", "__pycache__", "*.egg-info", "build", "tests", "bench", "docs")
            shutil.copytree(TOP, source, ignore=left_out)
            build = "import sys; from setuptools.build_meta import build_wheel; build_wheel(sys.argv[1])"
            _done([sys.executable, "-c", build, folder], source)
            (wheel,) = top.glob("*.whl")
            inside = set(zipfile.ZipFile(wheel).namelist())
            package = [path for path in (Path(TOP) / "ledgecliff").rglob("*") if path.is_file()]
            mine = {str(path.relative_to(TOP)) for path in package if "__pycache__" not in path.parts}
            self.assertEqual(mine - inside, set())

            _done([sys.executable, "-m", "venv", str(top / "fresh")], top)
            fresh = top / "fresh" / "bin"
            _done([str(fresh / "python"), "-m", "pip", "install", "--no-index", "--no-deps", "-q", str(wheel)], top)
            (packages,) = (top / "fresh" / "lib").glob("python*/site-packages")
            (packages / "lent.pth").write_text(sysconfig.get_path("purelib") + "\n", encoding="utf-8")
            told = _done([str(fresh / "ledgecliff"), "demo-job", "float-housing"], top).strip()
            self.assertTrue(Path(told).is_relative_to(packages), told)
            sheet, drawn = top / "sheet.html", top / "sheet.pdf"
            for path in (sheet, drawn):
                _done([str(fresh / "ledgecliff"), "sheet", told, "-o", str(path)], top)
            self.assertIn("Float housing", sheet.read_text(encoding="utf-8"))
            self.assertEqual(drawn.read_bytes()[:5], b"%PDF-")
            _done([str(fresh / "ledgecliff"), "desktop", "install"], top)
            entry = top / "data" / "applications" / "ledgecliff.desktop"
            self.assertIn(f"Exec={fresh / 'ledgecliff'} open %f", entry.read_text(encoding="utf-8"))


def _done(command: list[str], folder: Path) -> str:
    """What it printed.  Raises AssertionError with its words where it fails."""
    path = f"{Path(command[0]).parent}:{os.environ['PATH']}"
    surroundings = {
        "PATH": path,
        "HOME": str(folder),
        "XDG_DATA_HOME": str(folder / "data"),
        "XDG_CACHE_HOME": str(folder / "cache"),
        "PIP_DISABLE_PIP_VERSION_CHECK": "1",
    }
    done = subprocess.run(command, cwd=folder, env=surroundings, capture_output=True, text=True, check=False)
    if done.returncode:
        raise AssertionError(f"{command}: {done.stdout}{done.stderr}")
    return done.stdout


if __name__ == "__main__":
    unittest.main()
