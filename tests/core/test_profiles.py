"""Text profiles: what a wrong one does is seen by the reading check, and what is broken is told with its line."""

from __future__ import annotations

import re
import unittest

from ledgecliff.core.edits import set_value
from ledgecliff.core.errors import ProfileError
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.profile import MACROS, SHIPPED, profile_names, shipped_profile
from tests.core.test_cycles import CYCLES, job_with
from tests.helpers import changed, demo, models
from tests.jobs import plan_of


def job_of(text, *cycles, control="parameter style"):
    own = OutputProfile(name="ours", control=control, text=text)
    job = set_value(job_with(*cycles), ("machine", "profiles"), (own,))
    return set_value(job, ("machine", "profile"), "ours")


def differences(text, *cycles, control="parameter style"):
    return plan_of(job_of(text, *cycles, control=control)).read_back(1).differences


class ReadingCheckTest(unittest.TestCase):
    def test_the_demo_reads_back_in_every_profile(self):
        for name in SHIPPED:
            plan = make_plan(changed((("machine", "profile"), name)), models())
            for index in (0, 1):
                with self.subTest(name, setup=index):
                    self.assertEqual(plan.read_back(index).differences, ())

    def test_stages_after_an_operation_read_back_too(self):
        plan = make_plan(changed((("setups", 0, "datum", "x", "source"), "part minus side")), models())
        self.assertEqual(len(plan.probing_texts(0)), 2)
        self.assertEqual(plan.read_back(0).differences, ())

    def test_a_profile_that_does_something_else_is_caught(self):
        """One slip at a time in a copy of the shipped profile: sign, radius, half, back-off, offset, units, a touch."""
        text = shipped_profile("parameter style").text
        for what, old, new, cycle in (
            ("the results' sign", "#{{ a.result }} = {{ a.reading }}\n{%- endif %}",
             "#{{ a.result }} = [0 - {{ a.reading }}]\n{%- endif %}", "web"),
            ("the radius", "#100 = {{ p.radius }}", "#100 = 0", "surface"),
            ("the fast reading kept", "#{{ a.result }} = {{ a.reading }}\n{%- endif %}",
             "#{{ a.result }} = #107\n{%- endif %}", "surface"),
            ("another offset", "G10 L{{ a.level }} P{{ a.number }}", "G10 L2 P1", "surface"),
            ("the other unit", "{{ p.units }} G17", "G20 G17", "surface"),
            ("no slow touch", "G38.2 {{ words(a.far) }} F{{ a.touch_feed }}\n", "", "surface"),
            ("the wrong way off", "G1 {{ words(a.near) }}", "G1 {{ words(a.far) }}", "surface"),
            ("the turn's sign", " R{{ a.turn }}", " R[0 - {{ a.turn }}]", "corner of four"),
            ("the turn left out", "{% if a.turn %} R{{ a.turn }}{% endif %}", "", "edge angle in front"),
            ("an old turn left in", "{% if a.turn %} R", "{% if a.turn and a.turn != '0.0' %} R", "surface"),
            ("another offset as well", "{%- macro footer(p, rows) -%}", "{%- macro footer(p, rows) -%}\nG10 L2 P4 X1",
             "surface"),
            ("another offset turned", "{%- macro footer(p, rows) -%}", "{%- macro footer(p, rows) -%}\nG10 L2 P4 R1",
             "surface"),
            ("from another offset", "{{ words(a.words) }}{% if a.turn",
             "{{ words(a.words) | replace('#5241', '#5221') }}{% if a.turn", "corner of four"),
        ):  # fmt: skip
            with self.subTest(what):
                self.assertIn(old, text)
                self.assertNotEqual(differences(text.replace(old, new), CYCLES[cycle]), ())
        self.assertEqual(differences(text, CYCLES["web"], CYCLES["surface"]), ())

    def test_a_copied_style_runs_on_its_own_control(self):
        text = shipped_profile("numbered-variable skip style").text
        control = "numbered-variable skip style"
        self.assertEqual(differences(text, CYCLES["web"], control=control), ())
        said = differences(text, CYCLES["web"], control="parameter style")
        self.assertIn("IF [#4120", said[0])


class BrokenProfileTest(unittest.TestCase):
    def test_faults_name_profile_and_line(self):
        text = shipped_profile("parameter style").text
        at = next(k for k, line in enumerate(text.splitlines(), start=1) if line.startswith("G0 {{ words"))
        for new, words in (
            ("G0 {{ words(a.words }}", "unexpected"),
            ("G0 {{ words(a.wrods) }}", "no attribute 'wrods'"),
            ("G0 {{ nonsense }}", "'nonsense' is undefined"),
            ("G0 {{ 1 / 0 }}", "division by zero"),
            ("G0 {{ ().__class__.__base__ }}", "unsafe"),
        ):
            with self.subTest(new), self.assertRaisesRegex(ProfileError, words) as caught:
                plan_of(job_of(text.replace("G0 {{ words(a.words) }}", new), CYCLES["surface"])).probing_text(1)
            self.assertEqual(caught.exception.line, at)
            self.assertIn(f"profile 'ours', line {at}", str(caught.exception))

    def test_a_missing_macro_is_named(self):
        for name in MACROS:
            text = re.sub(rf"macro {name}\(", f"macro {name}_gone(", shipped_profile("parameter style").text)
            with self.subTest(name), self.assertRaisesRegex(ProfileError, f"the macro '{name}' is missing"):
                plan_of(job_of(text, CYCLES["surface"])).probing_text(1)

    def test_an_unknown_profile_says_which_there_are(self):
        with self.assertRaisesRegex(ProfileError, "choose one of parameter style, numbered-variable skip style"):
            make_plan(changed((("machine", "profile"), "nobody's")), models()).probing_text(0)

    def test_names_are_shipped_ones_and_the_machines_own(self):
        self.assertEqual(profile_names(demo().machine), tuple(SHIPPED))
        self.assertEqual(profile_names(job_of("x").machine)[-1], "ours")

    def test_text_from_a_job_stays_in_comments(self):
        for name in SHIPPED:
            plan = make_plan(changed((("title",), "x) G0 Z-400 ("), (("machine", "profile"), name)), models())
            for text in (plan.probing_text(0), plan.hover_text(0)):
                self.assertNotIn("Z-400", re.sub(r"\([^()]*\)", "", text))
