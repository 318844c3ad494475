"""What programs over a pattern keep, pasted back: the offsets that follow are those the simulated control holds."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.measuring.instance_results import kept_of_instances, parsed_of_instances, said_of_missing
from ledgecliff.core.measuring.measured import RecordedWcs
from ledgecliff.core.measuring.results_back import ReturnedResults, returned
from ledgecliff.core.programs.profile import SHIPPED
from ledgecliff.core.quantities import mm_per
from tests.core.programs.test_instance_programs import SECOND, at, in_style, lying, run, shoes
from tests.draws import ALL

FIRST_STYLE = next(iter(SHIPPED))


def pasted(result, setup):
    """All that the control keeps of a setup, as it is copied from its screen."""
    values = {number: value for each in at(result, setup).values() for number, value in each.results.items()}
    return "\n".join(f"#{number} = {value:.6f}" for number, value in sorted(values.items()))


class PastedTest(unittest.TestCase):
    def test_the_offsets_that_follow(self):
        styles = SHIPPED if ALL else tuple(SHIPPED)[:2]
        for style in styles:
            for unit in ("mm", "in"):
                plan = in_style(style, unit)
                result = run(plan)
                kept = kept_of_instances(plan, 1)
                self.assertEqual(len(kept), 5)
                found = parsed_of_instances(kept, pasted(result, "Op 20"), unit, "Op 20")
                for each in found:
                    seen = at(result, "Op 20")[each.kept.instance.name]
                    self.assertIs(each.missing, False)
                    self.assertEqual(each.kept.setup.setup.offset, seen.offset)
                    x, y, z = seen.assumed
                    z -= each.kept.setup.machine.length_shift()
                    given = ReturnedResults(
                        setup="Op 20", before=RecordedWcs(x=x, y=y, z=z), results=each.results
                    )  # fmt: skip
                    np.testing.assert_allclose(
                        returned(each.kept.setup, given).m_zero, seen.found, atol=2e-4 * mm_per(unit)
                    )

    def test_local_shifts_and_the_first_of_the_load(self):
        plan = shoes((( *SECOND, "school"), "local shifts"), ((*SECOND, "probed"), "first of the load"),
                     ((*SECOND, "codes"), ()), ((*SECOND, "seating"), True))  # fmt: skip
        result = run(plan)
        kept = kept_of_instances(plan, 1)
        # All are looked at, and the first alone gives the zero.
        self.assertEqual([each.outcome is not None for each in kept], [True] * 5)
        self.assertGreater(len(kept[0].rows), len(kept[1].rows))
        self.assertEqual([each.offset_key for each in kept], [""] * 5)
        first = parsed_of_instances(kept, pasted(result, "Op 20"), "mm", "Op 20")[0]
        seen = at(result, "Op 20")[first.kept.instance.name]
        x, y, z = seen.assumed - (0.0, 0.0, first.kept.setup.machine.length_shift())
        given = ReturnedResults(setup="Op 20", before=RecordedWcs(x=x, y=y, z=z), results=first.results)
        np.testing.assert_allclose(returned(first.kept.setup, given).m_zero, seen.found, atol=2e-4)

    def test_where_nobody_looks_there_is_no_outcome(self):
        kept = kept_of_instances(shoes(((*SECOND, "seating"), False)), 1)
        self.assertEqual([each.outcome for each in kept], [None] * 5)
        self.assertEqual([each.offset_key for each in kept], ["", "2-1", "3-1", "4-1", "5-1"])

    def test_no_pattern(self):
        self.assertEqual(kept_of_instances(shoes(((*SECOND[:2], "pattern"), None)), 1), ())


class MissingTest(unittest.TestCase):
    def test_of_one_that_is_missing_nothing_else_is_taken(self):
        plan = in_style(FIRST_STYLE, "mm", "skip it")
        name = plan.instances(1)[2].name
        result = run(plan, lying("Op 20", name, z=1.5))
        kept = kept_of_instances(plan, 1)
        # As it stands there from another run.
        text = pasted(result, "Op 20")
        old = {row.parameter for row in kept[2].rows} - {int(line.split()[0][1:]) for line in text.splitlines()}
        text = "\n".join([text, *(f"#{number} = 0.5" for number in old)])
        found = parsed_of_instances(kept, text, "mm", "Op 20")
        self.assertEqual([each.missing for each in found], [False, False, True, False, False])
        self.assertEqual(found[2].results, ())
        self.assertTrue(found[3].results)
        self.assertIn(f"instance {name}.", said_of_missing(found))
        self.assertEqual(said_of_missing(found[:2]), "")

    def test_nothing_came_back_of_some(self):
        kept = kept_of_instances(in_style(FIRST_STYLE, "mm"), 1)
        row = kept[1].rows[0]
        found = parsed_of_instances(kept, f"#{row.parameter} = 1.5", "mm", "Op 20")
        self.assertEqual([each.missing for each in found], [None, False, None, None, None])
        self.assertEqual([len(each.results) for each in found], [0, 1, 0, 0, 0])

    def test_refused(self):
        kept = kept_of_instances(in_style(FIRST_STYLE, "mm"), 1)
        with self.assertRaisesRegex(InvalidValueError, "says how it went"):
            parsed_of_instances(kept, f"#{kept[0].outcome} = 12.5", "mm", "Op 20")
        with self.assertRaisesRegex(InvalidValueError, "is no result of Op 20"):
            parsed_of_instances(kept, "#9 = 12.5", "mm", "Op 20")

    def test_variables_are_told_apart(self):
        kept = kept_of_instances(in_style(FIRST_STYLE, "mm"), 1)
        numbers = [n for each in kept for n in (each.outcome, *(row.parameter for row in each.rows))]
        self.assertEqual(len(numbers), len(set(numbers)))


if __name__ == "__main__":
    unittest.main()
