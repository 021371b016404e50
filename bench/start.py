"""From the command to a usable window."""

from __future__ import annotations

import statistics
import tempfile
import time

from bench.common import LARGE, Row, Scale, row, run_fresh

_BARE = """
import sys
from PyQt6.QtWidgets import QApplication, QMainWindow
app = QApplication([])
window = QMainWindow()
window.resize(1280, 800)
window.show()
app.processEvents()
"""
_LATHER = """
from lather.settings.store import Settings
from lather.ui.app import build
app = build(Settings())
app.window.show()
app.qt.processEvents()
import os
os._exit(0)
"""
N_RUNS = 7


def measure(scale: Scale) -> list[Row]:
    """start to a window that can be used, against a bare toolkit window"""
    times: dict[str, list[float]] = {"bare": [], "lather": []}
    with tempfile.TemporaryDirectory() as compiled:
        # As it is installed: no module is compiled at the start, whatever this shell says.
        environment = {"PYTHONPYCACHEPREFIX": compiled, "PYTHONDONTWRITEBYTECODE": ""}
        for code in (_BARE, _LATHER):
            run_fresh(code, LARGE, **environment)
        for _ in range(scale.runs(N_RUNS)):
            for name, code in (("bare", _BARE), ("lather", _LATHER)):
                start = time.perf_counter()
                run_fresh(code, LARGE, **environment)
                times[name].append(1000 * (time.perf_counter() - start))
    bare, value = statistics.median(times["bare"]), statistics.median(times["lather"])
    return [row("start to usable window", value, "ms", target="< 3x", ok=value < 3 * bare,
                reference="bare toolkit window", reference_value=bare)]  # fmt: skip
