"""Layer ids: never twice, whichever threads make layers and load jobs."""

import sys
import threading
import unittest

from lather.document.layers.layer import new_id, reserve_ids


class IdsTest(unittest.TestCase):
    def test_ids_never_repeat_while_jobs_are_loaded(self) -> None:
        start, made, ready = new_id(), [[] for _ in range(4)], threading.Barrier(8)
        self.addCleanup(sys.setswitchinterval, sys.getswitchinterval())
        sys.setswitchinterval(1e-6)

        def make(ids: list[int]) -> None:
            ready.wait()
            ids.extend(new_id() for _ in range(15_000))

        def load() -> None:
            ready.wait()
            for _ in range(8000):
                reserve_ids(start)

        threads = [threading.Thread(target=make, args=(ids,)) for ids in made]
        threads += [threading.Thread(target=load) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        every = [number for ids in made for number in ids]
        self.assertEqual(len(set(every)), len(every))

    def test_reserved_ids_are_not_given(self) -> None:
        high = new_id() + 1000
        reserve_ids(high)
        reserve_ids(high - 500)
        self.assertGreater(new_id(), high)
