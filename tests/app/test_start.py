"""What a start brings in: no more than the window needs to be seen, then to be worked in."""

from __future__ import annotations

import subprocess
import sys
import unittest
from pathlib import Path
from unittest import mock

from ledgecliff import __main__ as program
from ledgecliff.app import main
from ledgecliff.app.main import make_frame

from .gui import GuiTestCase

TOP = Path(__file__).parents[2]


def imported(statement: str) -> set[str]:
    """The modules and packages that a statement brings in, in a fresh interpreter."""
    code = f"{statement}\nimport sys\nprint(*sys.modules)"
    return set(
        subprocess.run([sys.executable, "-c", code], cwd=TOP, check=True, capture_output=True, text=True).stdout.split()
    )


class ImportsTest(unittest.TestCase):
    def test_the_frame_brings_in_qt_and_little_else(self):
        brought = imported("import ledgecliff.app.main")
        self.assertIn("PySide6.QtWidgets", brought)
        self.assertEqual(
            brought & {"numpy", "pydantic", "manifold3d", "ledgecliff.core.plan", "ledgecliff.app.desk"}, set()
        )

    def test_the_desk_brings_in_nothing_that_only_some_work_needs(self):
        brought = imported("import ledgecliff.app.desk, ledgecliff.app.commands")
        late = {
            "scipy",
            "shapely",
            "ezdxf",
            "jinja2",
            "weasyprint",
            "sqlalchemy",
            "vtkmodules",
            "OCP",
            "fontTools",
            "pint",
        }
        self.assertEqual(brought & late, set())

    def test_the_demos_findings_bring_in_no_more_libraries(self):
        """A job without frames and fits needs none for them, and its findings are not to wait for one."""
        brought = imported(
            "from ledgecliff.core.findings.rules import findings_of\n"
            "from tests.helpers import demo_plan\n"
            "assert findings_of(demo_plan())"
        )
        self.assertEqual(brought & {"scipy", "shapely"}, set())

    def test_opening_goes_past_the_command_line(self):
        with mock.patch("ledgecliff.app.main.run", return_value=0) as run:
            for words, path in ((["open", "a.json"], Path("a.json")), (["open"], None), ([], None)):
                with mock.patch.object(sys, "argv", ["ledgecliff", *words]):
                    self.assertEqual(program.main(), 0)
                run.assert_called_with(path)
        self.assertNotIn("ledgecliff.command_line.main", imported("import ledgecliff.__main__"))


class FrameTest(GuiTestCase):
    def test_it_can_be_seen_and_closed_before_it_is_furnished(self):
        window = make_frame()
        seen = []
        window.seen.connect(lambda: seen.append(True))
        window.show()
        self.wait_for(lambda: seen, "the frame to be painted")
        self.assertFalse(any(action.isEnabled() for key, action in window.actions_by_id.items() if key != "quit"))
        window.actions_by_id["quit"].trigger()
        self.assertFalse(window.isVisible())
        self.assertEqual(len(seen), 1)

    def test_closed_before_it_is_furnished_it_stays_empty(self):
        with (
            mock.patch.object(main, "QApplication"),
            mock.patch.object(main, "signal"),
            mock.patch.object(main, "make_frame") as frame,
        ):
            main.run(Path("job.json"))
        window = frame.return_value
        begin = window.seen.connect.call_args.args[0]
        window.isVisible.return_value = False
        begin()
        window.furnish.assert_not_called()
        window.isVisible.return_value = True
        begin()
        window.furnish.assert_called_once()
        window.desk.files.open.assert_called_once_with(Path("job.json"))

    def test_furnished_it_is_as_it_was_left(self):
        self.commands.switch_unit()
        self.window.switch_theme()
        self.window.close()
        again = make_frame()
        self.addCleanup(self._close, again)
        self.assertEqual(again.theme.name, self.window.theme.name)
        again.furnish()
        self.assertEqual((again.desk.document.unit, again.unit_button.text()), ("in", "in"))
