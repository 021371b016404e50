"""Damages good files of every format at random and has them read.

Each damaged file must be read or refused with a sentence. Counted: crashes (the process
died, or an error nobody expected), hangs over 10 s of its own time, and reads that took more
memory than their bound.

    python -m bench.fuzz_files [--files N] [--seed S]
"""

from __future__ import annotations

import argparse
import io
import json
import os
import random
import select
import shutil
import subprocess
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from lather.paths import SOURCE_TREE

if TYPE_CHECKING:
    from lather.document.job import Job
    from lather.document.state import JobState
    from lather.files.jobs.jobfile import LoadedJob

LONGEST_S = 10.0
ASLEEP = 12  # times that, on the clock: it waits for something
MOST_MEGABYTES = 700  # above what the reading process had before the file
SIDE_PX = 160


@dataclass
class Tally:
    """What became of the damaged files."""

    read: Counter[str] = field(default_factory=Counter)
    refused: Counter[str] = field(default_factory=Counter)
    crashes: list[str] = field(default_factory=list)
    hangs: list[str] = field(default_factory=list)
    too_large: list[str] = field(default_factory=list)

    @property
    def n_bad(self) -> int:
        return len(self.crashes) + len(self.hangs) + len(self.too_large)

    def sentence(self) -> str:
        total = sum(self.read.values()) + sum(self.refused.values()) + len(self.crashes)
        return (
            f"{total + len(self.hangs)} damaged files: {sum(self.read.values())} read, "
            f"{sum(self.refused.values())} refused, {len(self.crashes)} crashes, "
            f"{len(self.hangs)} hangs over {LONGEST_S:.0f} s, "
            f"{len(self.too_large)} over {MOST_MEGABYTES} MB"
        )


def run(n_files: int, seed: int) -> Tally:
    """Damage and read so many files, all formats in turn."""
    chance, tally = random.Random(seed), Tally()
    with tempfile.TemporaryDirectory() as folder:
        good = sorted(good_files(Path(folder)))
        reader = _Reader()
        for number in range(n_files):
            source = good[number % len(good)]
            damaged = Path(folder) / f"damaged{source.suffix}"
            content = damage(source.read_bytes(), chance)
            damaged.write_bytes(content)
            name = f"{source.name}, file {number} of seed {seed}"
            answer = reader.read(damaged)
            if answer is None:
                tally.hangs.append(name)
            elif answer[0] == "read":
                tally.read[source.name] += 1
            elif answer[0] == "refused":
                tally.refused[source.name] += 1
            else:
                tally.crashes.append(f"{name}: {answer[0]}")
            if answer is not None and answer[1] > MOST_MEGABYTES:
                tally.too_large.append(f"{name}: {answer[1]:.0f} MB")
        reader.close()
    return tally


# --- damage ------------------------------------------------------------------------------


def damage(content: bytes, chance: random.Random) -> bytes:
    """One, two or four random changes; inside ZIP members too, with their checksums right."""
    if content[:2] == b"PK" and chance.random() < 0.7:
        return _damage_member(content, chance)
    data = bytearray(content)
    for _ in range(chance.choice((1, 1, 2, 4))):
        chance.choice((_flip, _flip, _cut, _zero, _repeat, _extreme, _insert))(data, chance)
        if not data:
            break
    return bytes(data)


def _damage_member(content: bytes, chance: random.Random) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as source, zipfile.ZipFile(out, "w") as target:
        infos = source.infolist()
        chosen = chance.choice(infos).filename
        if chance.random() < 0.5:
            chosen = next((i.filename for i in infos if i.filename.endswith((".json", ".xml"))), "")
        for info in infos:
            data = source.read(info)
            if info.filename == chosen:
                if chance.random() < 0.15:
                    continue
                is_job = info.filename == "job.json" and chance.random() < 0.7
                data = _damage_json(data, chance) if is_job else damage(data, chance)
            target.writestr(info.filename, data)
    return out.getvalue()


def _damage_json(data: bytes, chance: random.Random) -> bytes:
    """One value somewhere in a JSON document replaced or removed."""
    document = json.loads(data)
    places = list(_places(document))
    holder, key = chance.choice(places)
    if chance.random() < 0.2 and isinstance(holder, dict):
        del holder[key]
    else:
        holder[key] = chance.choice((
            None, -1, 0, 2**31, 2**63, 1e308, "", "../../x", "x" * 5000, [], {}, [[]], True,
            "layers/2/pixels/0_0.png", {"a": 1}, float("nan"),
        ))  # fmt: skip
    return json.dumps(document).encode()


def _places(value: object) -> Iterator[tuple[Any, Any]]:
    if isinstance(value, (dict, list)):
        keys = value if isinstance(value, dict) else range(len(value))
        for key in list(keys):
            yield value, key
            yield from _places(value[key])


def _flip(data: bytearray, chance: random.Random) -> None:
    for _ in range(chance.choice((1, 1, 3, 30))):
        data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)


def _cut(data: bytearray, chance: random.Random) -> None:
    del data[chance.randrange(len(data)) :]


def _zero(data: bytearray, chance: random.Random) -> None:
    at = chance.randrange(len(data))
    n_bytes = min(chance.randint(1, 400), len(data) - at)
    data[at : at + n_bytes] = bytes(n_bytes)


def _repeat(data: bytearray, chance: random.Random) -> None:
    at = chance.randrange(len(data))
    data[at:at] = data[at : at + chance.randint(1, 600)]


def _extreme(data: bytearray, chance: random.Random) -> None:
    """Sizes and counts lie near the start, and at the end of archives."""
    at = chance.randrange(min(len(data), 300))
    if chance.random() < 0.4:
        at = len(data) - 1 - at
    value = chance.choice((b"\xff" * 4, b"\x7f\xff\xff\xff", b"\0\0\0\0", b"\xff\xff", b"\x80"))
    data[at : at + len(value)] = value


def _insert(data: bytearray, chance: random.Random) -> None:
    at = chance.randrange(len(data))
    data[at:at] = chance.randbytes(chance.randint(1, 80))


# --- good files --------------------------------------------------------------------------


def good_files(folder: Path) -> Iterator[Path]:
    """One small file of every format and variant that Lather reads."""
    import numpy as np

    from lather.files.photos.profiles import image_of, with_profile

    y, x = np.mgrid[:SIDE_PX, :SIDE_PX]
    wide = np.stack([x * 400, y * 400, (x + y) * 200], -1).astype(np.uint16)
    narrow = (wide >> 8).astype(np.uint8)
    small, large = (with_profile(image_of(np.ascontiguousarray(a)), None) for a in (narrow, wide))
    for name, image, options in (
        ("baseline.jpg", small, {}),
        ("progressive.jpg", small, {"interlace": True}),
        ("eight.png", small, {}),
        ("sixteen.png", large, {}),
        ("palette.png", small, {"palette": True}),
        ("strips.tif", large, {"compression": "lzw"}),
        ("tiled.tif", large, {"compression": "deflate", "tile": True}),
        ("jpeg.tif", small, {"compression": "jpeg"}),
        ("picture.webp", small, {}),
    ):
        path = folder / name
        image.write_to_file(str(path), **options)
        yield path
    yield from _jobs(folder)


def _jobs(folder: Path) -> Iterator[Path]:
    from lather.actions.job.keeping import Keeper
    from lather.actions.job.recovery import open_path
    from lather.core.work import no_progress
    from lather.document import edits
    from lather.document.layers.table import COMPUTED
    from lather.files.exchange.openraster import write_openraster
    from lather.files.jobs.jobwriter import save_job
    from lather.render.flatten import flatten
    from lather.render.pictures import Pictures
    from lather.render.worker import SameThread

    first = folder / "first.lather"
    shutil.copy(SOURCE_TREE / "tests" / "data" / "job-v1.lather", first)
    yield first
    opened = open_path(first, no_progress, locked=True)
    job, keeper = opened.job, Keeper(opened, SameThread())
    keeper.start(opened)
    pixels = job.state.layers[-1]
    for number in range(4):
        _do(job, edits.rename, pixels.id, f"Glow {number}")
        _do(job, edits.duplicate, pixels.id)
    _draw(job)
    painted = _painted(job.state, pixels.id)
    job.prepare(lambda state: painted)  # noqa: ARG005 - tiles written ahead of their step
    job.change("Paint", painted)
    job.change("Measured", _measured(job.state))
    for kind in COMPUTED:
        job.change(f"Add {kind.KIND}", edits.add_computed(job.state, kind))  # carries its layers
        _do(job, edits.set_strength, job.state.active_id, 0.5)
    surveyed = folder / "surveyed.lather"
    save_job(job.state, surveyed)
    yield surveyed
    journal = folder / "steps.journal"
    shutil.copy(folder / ".first.lather.journal", journal)
    keeper.close()
    yield journal
    layers = folder / "layers.ora"
    write_openraster(job.state, flatten(job.state, 8), layers, pictures=Pictures(job.state))
    yield layers
    recording = folder / "pen.jsonl"
    recording.write_text(
        "".join(f'{{"t": {t}, "x": {9 * t}, "y": 20, "pressure": 0.5}}\n' for t in range(40))
    )
    yield recording


def _do(job: Job, edit: Callable[..., JobState], *args: Any) -> None:
    """An edit with its operation."""
    from lather.operations.edits import call_of

    job.change(edit.__name__, edit(job.state, *args), call=call_of(edit, *args))


def _draw(job: Job) -> None:
    """Strokes on a layer, and one that leaves no record on any."""
    from lather.core.brush.stroke import Brush, PenSample
    from lather.tools.base import Hand
    from lather.tools.drawing import drawn

    for tool in ("paint_colour", "outline"):
        samples = [PenSample(n / 9, 20.0 + 3 * n, 30.0 + n * n, 0.5) for n in range(8)]
        found = drawn(job.state, Hand(tool, Brush(size_px=14.0)), samples)
        if found is not None:
            job.change(tool, found[0].apply(job.state), call=found[1])


# --- the process that reads ----------------------------------------------------------------


def _painted(state: JobState, layer_id: int) -> JobState:
    """With other pixels in one tile of a layer."""
    from lather.document import edits
    from lather.document.layers.pixels import PixelLayer

    layer = state.layer(layer_id)
    assert isinstance(layer, PixelLayer)
    tiles = layer.tiles
    pixels = tiles.pixels((0, 0)).copy()
    pixels[5:40, 7:60] = 12345
    return edits.set_pixels(state, layer_id, tiles.with_tiles({(0, 0): pixels}))


def _measured(state: JobState) -> JobState:
    """With an area, regions, a face, a spot and a line: all that a survey may leave."""
    import numpy as np

    from lather.core.area.combine import Combine
    from lather.core.bounds import N_DIRECTIONS
    from lather.core.rect import Rect
    from lather.core.survey.faces.geometry import FaceGeometry
    from lather.core.survey.findings.finding import Finding, Kind
    from lather.core.survey.regions.region import Region
    from lather.document import areas, edits
    from lather.document.findings import Findings
    from lather.document.planes import Regions, with_plane
    from lather.document.tiles import BLACK_MASK

    spot = Finding(1, Kind.RED, 20.0, 30.0, 4.0, 1.2, -3.0, 6.0, 50.0, 0.1, (9.0,) * N_DIRECTIONS)
    line = replace(spot, id=2, kind=Kind.CREASE, path_px=((5.0, 6.0), (25.0, 8.0)), length_mm=5.0)
    face = FaceGeometry.from_pupils((10.0, 12.0), (30.0, 12.0))
    state = edits.set_findings(state, Findings.of_survey(0.2, [spot, line], [face]))
    half = np.full((30, 40), 0.5, dtype=np.float32)
    rect = Rect(0, 0, 40, 30)
    masks = {Region.SKIN: with_plane(BLACK_MASK, rect, half)}
    state = edits.set_survey(state, state.findings, Regions(0.5, masks, frozenset(masks)))
    return areas.outline(state, rect, half, Combine.NEW)


class _Reader:
    """A process that reads files one after the other; replaced when it dies or hangs."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None

    def read(self, path: Path) -> tuple[str, float] | None:
        """What came of it and the memory it took, MB; None for a hang."""
        if self._process is None or self._process.poll() is not None:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "bench.fuzz_files", "--read"],
                cwd=SOURCE_TREE, stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL, text=True,
            )  # fmt: skip
            _pipes(self._process)[1].readline()
        process = self._process
        words, answers = _pipes(process)
        words.write(f"{path}\n")
        words.flush()
        if not self._answers(process):
            self.close()
            return None
        line = answers.readline()
        if not line:
            return f"died with {process.wait()}", 0.0
        outcome, _, megabytes = line.strip().rpartition(" ")
        return outcome, float(megabytes)

    @staticmethod
    def _answers(process: subprocess.Popen[str]) -> bool:
        """False for a hang: on a busy machine the process's own time counts, not the clock."""
        begun_s, begun_cpu_s = time.monotonic(), _cpu_s(process.pid)
        while not select.select([_pipes(process)[1]], [], [], 1.0)[0]:
            used_s = _cpu_s(process.pid) - begun_cpu_s
            if used_s > LONGEST_S or time.monotonic() - begun_s > ASLEEP * LONGEST_S:
                return False
        return True

    def close(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            for pipe in _pipes(self._process):
                pipe.close()
            self._process = None


def _pipes(process: subprocess.Popen[str]) -> tuple[IO[str], IO[str]]:
    """What goes into a process and what comes out of it."""
    assert process.stdin is not None and process.stdout is not None
    return process.stdin, process.stdout


def _cpu_s(pid: int) -> float:
    """Processor time that a process has used."""
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def _serve() -> None:
    """Read the files named on standard input, answer a line each."""
    from lather.errors import LatherError
    from lather.files.jobs.jobfile import load_job

    base = load_job(SOURCE_TREE / "tests" / "data" / "job-v1.lather")
    print("ready", flush=True)
    for line in sys.stdin:
        Path("/proc/self/clear_refs").write_text("5")  # start the peak anew
        before = _status_megabytes("VmRSS")
        try:
            _use(Path(line.strip()), base)
            outcome = "read"
        except LatherError as error:
            outcome = "refused" if "\n" not in error.sentence() else "a sentence of two lines"
        except Exception as error:  # noqa: BLE001 - that is what is looked for
            outcome = repr(error).replace("\n", " ")[:200]
        print(outcome, round(_status_megabytes("VmHWM") - before, 1), flush=True)


def _use(path: Path, base: LoadedJob) -> None:
    """Open a file and look at all of it."""
    from lather.actions.job.recovery import open_path
    from lather.core.rect import Rect
    from lather.core.work import no_progress
    from lather.files.exchange.recordings import read_recording
    from lather.files.jobs.journalreader import read_journal
    from lather.render.compositor import render

    if path.suffix == ".jsonl":
        read_recording(path)
    elif path.suffix == ".journal":
        found = read_journal(path)
        last = base.state
        for step in found.steps(base.revision, base.state):
            render(step.state, Rect(0, 0, 64, 64))
            last = step.state
        _do_again(last)
    else:
        state = open_path(path, no_progress).job.state
        render(state, state.photo.rect.intersect(Rect(0, 0, 512, 512)))
        _do_again(state)


def _do_again(state: JobState) -> None:
    """What was done, told and done again as far as it goes."""
    from lather.operations.redo import first_state, redo
    from lather.operations.told import facts

    facts(state)
    redo(first_state(state.photo, state.layers[0].id), state.operations)


def _status_megabytes(field_name: str) -> float:
    text = Path("/proc/self/status").read_text()
    return int(text.split(f"{field_name}:")[1].split()[0]) / 1024


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--files", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--read", action="store_true", help=argparse.SUPPRESS)
    options = parser.parse_args()
    if options.read:
        _serve()
        return 0
    tally = run(options.files, options.seed)
    for bad in (*tally.crashes, *tally.hangs, *tally.too_large):
        print(bad)
    print(tally.sentence())
    return 1 if tally.n_bad else 0


if __name__ == "__main__":
    sys.exit(main())
