"""Whatever was done is done again from its operations, and gives the same."""

from __future__ import annotations

import unittest

from hypothesis import HealthCheck, given, settings

from lather.document.digest import digest
from lather.document.operations.operation import Again
from lather.operations.redo import redo
from tests.operations.doing import DoingCase, portrait, work


class SequencesTest(DoingCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.begun = portrait()

    @settings(max_examples=20, deadline=None, suppress_health_check=list(HealthCheck))
    @given(work(12))
    def test_it_is_the_same_bit_for_bit(self, what: list[tuple[str, int]]) -> None:
        self.open(self.begun)
        for name, pick in what:
            self.do(name, pick)
        state = self.bench.state
        redone = redo(self.begun, state.operations)
        self.assertEqual([one.why for one in redone.not_done], [])
        self.assertEqual(digest(redone.state), digest(state))
        told = [one for one in state.operations if one.again is Again.NOT]
        self.assertEqual(redone.n_carried, len(told))


if __name__ == "__main__":
    unittest.main()
