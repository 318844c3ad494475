"""Text profiles: what a wrong one does is seen by the reading check, and what is broken is told with its line."""

from __future__ import annotations

import re
import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import ProfileError
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.profile import MACROS, SHIPPED, profile_names, shipped_profile
from ledgecliff.core.programs.released import hover_text, probing_text, probing_texts
from ledgecliff.core.reading_back.check import read_back
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.helpers import changed, demo, models
from tests.jobs import plan_of


def job_of(text, *cycles, control="parameter style"):
    own = OutputProfile(name="ours", control=control, text=text)
    job = set_value(job_with(*cycles), ("machines", 0, "profiles"), (own,))
    return set_value(job, ("machines", 0, "profile"), "ours")


def differences(text, *cycles, control="parameter style"):
    return read_back(plan_of(job_of(text, *cycles, control=control)), 1).differences


class ReadingCheckTest(unittest.TestCase):
    def test_the_demo_reads_back_in_every_profile(self):
        for name in SHIPPED:
            plan = make_plan(changed((("machines", 0, "profile"), name)), models())
            for index in (0, 1):
                with self.subTest(name, setup=index):
                    self.assertEqual(read_back(plan, index).differences, ())

    def test_stages_after_an_operation_read_back_too(self):
        plan = make_plan(changed((("setups", 0, "datum", "x", "source"), "part minus side")), models())
        self.assertEqual(len(probing_texts(plan, 0)), 2)
        self.assertEqual(read_back(plan, 0).differences, ())

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

    def test_what_is_left_in_force_or_out_is_told(self):
        """A slip in how the program begins, moves, stops or ends, and what is said of it."""
        text = shipped_profile("parameter style").text
        head = "G17 G40 G49 G80 G90 G94\nG92.1\n"
        way, after = "G38.3 {{ words(a.words) }} F{{ p.travel }}", "T{{ p.tool }} M6\n{{ stop"
        wrong_tool = (
            "{{ stop_when('#5400 NE ' ~ p.tool, '1', 'the probe T' ~ p.tool ~ ' is not in the spindle', p.failed) }}"
        )
        met = "{{ stop_when('#5070 EQ 1', a.label, a.what, a.failed) }}"
        checked = "{{ stop_when(a.condition, a.label, a.text, a.failed) }}"
        for old, new, words in (
            (head + after, "G17 G40 G49 G80 G94\nG92.1\n" + after, ""),
            (head + after, "G17 G40 G49 G80 G90 G94\n" + after, ""),
            (head + after, "G17 G49 G80 G90 G94\nG92.1\n" + after, "compensation"),
            (head + after, "G17 G40 G49 G80 G90\nG92.1\n" + after, "inverse time"),
            ("G53 G0 Z{{ p.top }}\n{%- if p.wash", "{%- if p.wash", "a fast move below the top"),
            (way, way.replace("G38.3", "G1"), ""),
            (f"{way}\n{met}", way.replace("G38.3", "G1"), "nothing protects"),
            (way, way.replace("F{{ p.travel }}", "F[2 * {{ p.travel }}]"), "a way at a feed"),
            ("words(a.end) }} F{{ a.search_feed", "words(a.end) }} F{{ a.touch_feed", "touches at a feed"),
            (met, "", "that should be free, and the program goes on"),
            (wrong_tool, "", "another tool than the probe is in the spindle"),
            (checked, "", "beyond its limit, and the program goes on"),
            ("(MSG, {{ p.offset | c }} is set by probing)\nM2\n", "", "has no end"),
            ("{%- macro let(a) -%}", "{%- macro let(a) -%}\n#900 = 1\n", "#900 is set"),
            ("G38.4 {{ words(a.behind) }} F{{ a.touch_feed }}\nG1 {{ words(a.start) }}", "G1 {{ words(a.start) }}",
             "leaves a surface"),
            ("G1 {{ words(a.near) }} F{{ p.travel }}\n", "", "begins against the surface"),
        ):  # fmt: skip
            with self.subTest(words or new):
                self.assertIn(old, text)
                told = differences(text.replace(old, new, 1), CYCLES["web"])
                self.assertTrue(told)
                self.assertIn(words, "\n".join(told))

    def test_each_stop_is_driven_both_ways(self):
        """A limit half as wide, or twice, and one that holds only upwards: each is told."""
        text = shipped_profile("numbered-variable skip style").text
        control = "numbered-variable skip style"
        stop = "IF [{{ a.condition }}] THEN"
        for new in (
            "IF [{{ a.condition | replace('ABS', '') }}] THEN", "IF [{{ a.condition }} * 2] THEN",
            "IF [{{ a.condition }} / 2] THEN", "IF [{{ a.condition | replace('GT', 'LT') }}] THEN",
        ):  # fmt: skip
            self.assertIn(stop, text)
            for cycle in ("web", "bore", "corner of four"):
                told = differences(text.replace(stop, new), CYCLES[cycle], control=control)
                self.assertTrue(told, (new, cycle))
        self.assertEqual(differences(text, CYCLES["corner of four"], control=control), ())

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
                probing_text(plan_of(job_of(text.replace("G0 {{ words(a.words) }}", new), CYCLES["surface"])), 1)
            self.assertEqual(caught.exception.line, at)
            self.assertIn(f"profile 'ours', line {at}", str(caught.exception))

    def test_a_missing_macro_is_named(self):
        for name in MACROS:
            text = re.sub(rf"macro {name}\(", f"macro {name}_gone(", shipped_profile("parameter style").text)
            with self.subTest(name), self.assertRaisesRegex(ProfileError, f"the macro '{name}' is missing"):
                probing_text(plan_of(job_of(text, CYCLES["surface"])), 1)

    def test_an_unknown_profile_says_which_there_are(self):
        with self.assertRaisesRegex(ProfileError, "choose one of parameter style, numbered-variable skip style"):
            probing_text(make_plan(changed((("machines", 0, "profile"), "nobody's")), models()), 0)

    def test_names_are_shipped_ones_and_the_machines_own(self):
        self.assertEqual(profile_names(demo().machine), tuple(SHIPPED))
        self.assertEqual(profile_names(job_of("x").machine)[-1], "ours")

    def test_text_from_a_job_stays_in_comments(self):
        for name in SHIPPED:
            plan = make_plan(changed((("title",), "x) G0 Z-400 ("), (("machines", 0, "profile"), name)), models())
            for text in (probing_text(plan, 0), hover_text(plan, 0)):
                self.assertNotIn("Z-400", re.sub(r"\([^()]*\)", "", text))
