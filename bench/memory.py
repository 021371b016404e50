"""Peak memory of the whole application at work."""

from __future__ import annotations

from bench.common import Row, Scale, row, run_fresh

_SESSION = """
import tempfile
from pathlib import Path
import os
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from bench.common import Scale, large_state
from lather.core.kernels import prepare_kernels
from lather.core.brush.stroke import PenSample
from lather.document.job import Job
from lather.files.exchange.delivery import Delivery, encode_photo
from lather.render.flatten import flatten
from lather.settings.store import Settings
from lather.ui.app import build
from lather.ui.scripted import settle
from lather.ui.simulated_pen import SimulatedPen
import bench.common
prepare_kernels()
app = build(Settings())
app.window.resize(1280, 800)
app.window.show()
app.bench.take_job(Job(large_state(SCALE)))
bench.common.large_samples.cache_clear()
settle(app)
app.bench.zoom_to(1.0)
pen = SimulatedPen(app.window.canvas)
middle = app.bench.geometry
for tool_id, size in (("mend_spot", 60.0), ("paint_colour", 300.0)):
    app.bench.hands.take_tool(tool_id)
    app.bench.hands.set_brush(size_px=size)
    for i in range(20):
        x, y = middle.centre_x - 250 + 25 * i, middle.centre_y - 200 + 20 * i
        pen.stroke([PenSample(0.01 * j, x + 6 * j, y, 0.7) for j in range(8)])
        pen.wait()
settle(app)
with tempfile.TemporaryDirectory() as folder:
    samples = flatten(app.bench.state, 16)
    encode_photo(samples, None, Path(folder) / "out.tif", Delivery(depth_bits=16))
# Not getrusage: its maximum includes that of the parent process before exec.
status = Path("/proc/self/status").read_text()
print(int(status.split("VmHWM:")[1].split()[0]) / 1024)
app.close()
"""


def measure(scale: Scale) -> list[Row]:
    """peak memory while painting, mending and delivering 24 megapixels with 12 layers"""
    peak = float(run_fresh(_SESSION, scale).split()[-1])
    return [row("peak memory, 24 MP, 12 layers, deliver", peak, "MB", target="< 2500 MB",
                ok=peak < 2500)]
