"""The suite's own: what is made once, what a change touches, and what is named as left out."""

import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from lather.core.work import CancelToken
from lather.errors import Cancelled
from tests import pool, quick, sources
from tests.made import afresh, kept, trim
from tests.support import Case


class SourcesTest(unittest.TestCase):
    def test_imports_are_followed_wherever_they_stand(self) -> None:
        self.assertIn("lather.core.tone.shine", sources.needs("lather.assist.even.shine"))
        self.assertIn("lather.core.survey.survey", sources.needs("lather.assist.survey"))

    def test_names_in_tables_and_programs_are_followed_too(self) -> None:
        self.assertIn("lather.assist.clean.clean", sources.needs("lather.assist.stages"))
        self.assertIn("lather.core.blend.compiled", sources.needs("lather.core.kernels"))
        self.assertIn("lather.__main__", sources.needs("tests.cli.test_ending"))

    def test_the_shortest_way_counts(self) -> None:
        far = sources.distances("lather.assist.even.shine")
        self.assertEqual(far["lather.assist.even.shine"], 0)
        self.assertEqual(far["lather.core.tone.shine"], 1)
        self.assertNotIn("lather.ui.window", far)

    def test_a_digest_goes_by_all_that_is_imported(self) -> None:
        before = sources.digest(["lather.assist.even.shine"])
        real = sources.modules()
        other = {**real, "lather.core.rect": real["lather.errors"]}
        with mock.patch.object(sources, "modules", lambda: other):
            self.assertNotEqual(sources.digest(["lather.assist.even.shine"]), before)
        self.assertEqual(sources.digest(["lather.assist.even.shine"]), before)


class MadeTest(Case):
    def setUp(self) -> None:
        super().setUp()
        self.calls: list[object] = []

        def slow(picture, by=1, progress=None, cancel=None):
            self.calls.append(by)
            return picture * by

        slow.__module__ = "lather.core.rect"
        self.slow = slow
        self.picture = np.arange(6, dtype=np.float32).reshape(2, 3)

    def asked(self):
        """As in a new process: nothing is at hand."""
        return kept(self.slow, dict, self.folder / "made")

    def test_what_is_the_same_is_made_once(self) -> None:
        ask = self.asked()
        first = ask(self.picture, by=3)
        self.assert_equal_arrays(ask(self.picture.copy(), 3), first)
        self.assert_equal_arrays(self.asked()(self.picture, 3), first)
        self.assertEqual(self.calls, [3])

    def test_what_differs_is_not(self) -> None:
        ask = self.asked()
        ask(self.picture)
        ask(self.picture, by=2)
        ask(self.picture.astype(np.float64))
        ask(self.picture.reshape(3, 2))
        changed = self.picture.copy()
        changed[1, 2] = np.nextafter(changed[1, 2], 9)
        ask(changed)
        self.assertEqual(len(self.calls), 5)

    def test_afresh_it_is_made_again(self) -> None:
        ask = self.asked()
        ask(self.picture)
        with afresh():
            ask(self.picture)
        ask(self.picture)
        self.assertEqual(len(self.calls), 2)

    def test_a_cancel_is_heard_and_progress_is_told(self) -> None:
        ask, told = self.asked(), []
        ask(self.picture)
        ask(self.picture, progress=lambda share, what: told.append(share))
        self.assertEqual(told, [1.0])
        token = CancelToken()
        token.cancel()
        with self.assertRaises(Cancelled):
            ask(self.picture, cancel=token)

    def test_what_was_not_used_for_longest_goes(self) -> None:
        folder = self.folder / "made"
        ask = self.asked()
        for by in range(4):
            ask(self.picture, by)
        size = max(path.stat().st_size for path in folder.iterdir())
        trim(folder, 2 * size)
        self.assertLessEqual(len(list(folder.iterdir())), 2)


class QuickTest(unittest.TestCase):
    def test_the_tests_of_a_module_come_first(self) -> None:
        near = quick.touched([Path("lather/core/mend/rim.py")])
        self.assertEqual(near["tests.core.test_rim"], 1)
        self.assertGreater(near["tests.ui.test_window"], 1)
        self.assertNotIn("tests.test_settings", quick.touched([Path("lather/ui/window.py")]))

    def test_what_is_no_module_touches_those_that_name_it(self) -> None:
        near = quick.touched([Path("docs/parameters.md")])
        self.assertIn("tests.render.test_kinds", near)
        self.assertEqual(quick.touched([Path("docs/" + "no such page"[::-1])]), {})

    def test_a_changed_test_runs_itself(self) -> None:
        self.assertEqual(quick.touched([Path("tests/test_suite.py")])["tests.test_suite"], 0)

    def test_the_module_of_a_class(self) -> None:
        self.assertEqual(quick.module_of("tests.test_suite.QuickTest"), "tests.test_suite")
        self.assertEqual(quick.module_of("tests.test_suite"), "tests.test_suite")

    def test_without_time_nothing_is_begun_and_all_is_left_out(self) -> None:
        self.assertEqual(list(pool.run_all(["tests.test_suite.SourcesTest"], 0.0)), [])

    def test_the_slowest_are_listed_the_slowest_first(self) -> None:
        lines = pool.slowest({f"t{n}": float(n) for n in range(80)}).splitlines()
        self.assertEqual(len(lines), pool.N_SLOWEST)
        self.assertIn("t79", lines[0])


if __name__ == "__main__":
    unittest.main()
