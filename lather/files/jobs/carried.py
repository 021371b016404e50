"""What operations carry, and the strokes that they name, in a job file."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Protocol

from lather.document.layers.layer import Layer, Layers
from lather.document.operations.carried import Carried
from lather.document.operations.operation import Operation, Operations
from lather.document.painting.strokes import StrokeRecord
from lather.document.tiles import Tiles
from lather.document.tree import walk_held
from lather.files.entries import MISFIT, Entry, unknown
from lather.files.jobs.brief import brief_entry, kept_brief_from
from lather.files.jobs.description import layer_from, planes_from, regions_entry
from lather.files.jobs.findings import findings_entry, findings_from
from lather.files.jobs.operations import (
    CARRIED,
    damaged_operation,
    operation_entry,
    operation_from,
)
from lather.files.jobs.strokes import Numbers, packed_readings, stroke_entry, strokes_from
from lather.files.jobs.trials import trials_entry, trials_from

_CARRIED_KEYS = {"layers", "brief", "findings", "planes", "regions", "trials"}
OPERATIONS_A_PART, READINGS_A_PART_BYTES, LETTERS_A_PART = 250, 4 * 2**20, 4 * 2**20


class Strokes:
    """Where the strokes of a state's layers lie: by layer and number."""

    def __init__(self, layers: Layers) -> None:
        self._by_layer = {layer.id: layer.strokes for layer in walk_held(layers)}
        self._places = {
            id(stroke): [layer_id, number]
            for layer_id, strokes in self._by_layer.items() for number, stroke in enumerate(strokes)
        }  # fmt: skip

    def named(self, stroke: StrokeRecord) -> list[int] | None:
        return self._places.get(id(stroke))

    def at(self, layer_id: Any, number: Any) -> StrokeRecord | None:
        """None if it is not there."""
        return stroke_at(self._by_layer.get(layer_id, ()), number)


def stroke_at(strokes: tuple[StrokeRecord, ...], number: Any) -> StrokeRecord | None:
    """The stroke of that number; None if there is none."""
    return strokes[number] if type(number) is int and 0 <= number < len(strokes) else None


class Planes(Protocol):
    """Who writes what an operation carries: the job's writer."""

    def carried_layer(self, layer: Layer, folder: str) -> Entry:
        """A layer without its strokes; a tile that was written already is written once."""

    def carried_plane(self, name: str, tiles: Tiles, folder: str) -> Entry: ...


class OperationsWriter:
    """Writes operations in parts."""

    def __init__(self, layers: Layers, planes: Planes) -> None:
        self._strokes = Strokes(layers)
        self._planes = planes
        self._own: list[StrokeRecord] = []

    def parts(self, operations: Operations) -> Iterator[tuple[str, bytes, int]]:
        """The JSON of each part, the readings that go beside it, and how many they are."""
        lines: list[str] = []
        self._own = []
        n_bytes = n_letters = 0
        for number, operation in enumerate(operations):
            n_own = len(self._own)
            lines.append(json.dumps(self._entry(number, operation), separators=(",", ":")))
            n_bytes += sum(stroke.readings.nbytes for stroke in self._own[n_own:])
            n_letters += len(lines[-1])
            is_full = len(lines) == OPERATIONS_A_PART or n_letters > LETTERS_A_PART
            if is_full or n_bytes > READINGS_A_PART_BYTES:
                yield self._part(lines)
                lines, self._own, n_bytes, n_letters = [], [], 0, 0
        if lines:
            yield self._part(lines)

    def _part(self, lines: list[str]) -> tuple[str, bytes, int]:
        readings = b"".join(map(packed_readings, self._own))
        return "[\n" + ",\n".join(lines) + "\n]", readings, len(lines)

    def _entry(self, number: int, operation: Operation) -> Entry:
        entry, own = operation_entry(operation, self._strokes.named)
        self._own += own
        if operation.carried is not None:
            entry[CARRIED] = self._carried(operation.carried, f"operations/{number}")
        return entry

    def _carried(self, carried: Carried, folder: str) -> Entry:
        entry: Entry = dict(carried.extras)
        if carried.layers is not None:
            entry["layers"] = [one if isinstance(one, int) else self._layer(one, folder)
                               for one in carried.layers]  # fmt: skip
        if carried.brief is not None:
            entry["brief"] = brief_entry(carried.brief)
        if carried.findings is not None:
            entry["findings"] = findings_entry(carried.findings)
        if carried.trials is not None:
            entry["trials"] = trials_entry(carried.trials)
        if carried.planes is not None:
            entry["planes"] = {name: self._planes.carried_plane(name, tiles, folder)
                               for name, tiles in carried.planes.named().items()}  # fmt: skip
            entry["regions"] = regions_entry(carried.planes.regions)
        return entry

    def _layer(self, layer: Layer, folder: str) -> Entry:
        entry = self._planes.carried_layer(layer, f"{folder}/layers/{layer.id}")
        if layer.strokes:
            entry["strokes"] = list(self._runs(layer.strokes))
        if layer.held:
            entry["layers"] = [self._layer(child, folder) for child in layer.held]
        return entry

    def _runs(self, strokes: Iterable[StrokeRecord]) -> Iterator[Any]:
        """Strokes by where they lie, those that follow each other together: [layer, first, n]."""
        run: list[int] = []
        for stroke in strokes:
            place = self._strokes.named(stroke)
            if run and place == [run[0], run[1] + run[2]]:
                run[2] += 1
                continue
            if run:
                yield run
            run = [*place, 1] if place is not None else []
            if place is None:
                self._own.append(stroke)
                yield stroke_entry(stroke)
        if run:
            yield run


class Members(Protocol):
    """Who reads tiles by the names of their members: the job's reader."""

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles: ...


class OperationsReader:
    """Reads parts of operations (`Contents` of the layers that they carry).

    Attributes
    ----------
    n_lost : how many could not be read; those that were lost before are none of them.
    """

    keeps_members = True

    def __init__(self, layers: Layers, members: Members) -> None:
        self._strokes = Strokes(layers)
        self._members = members
        self._numbers: Numbers | None = None
        self.n_lost = 0

    def read(self, entries: Any, numbers: Numbers, n: int) -> list[Operation]:
        """The operations of a part, as many as it is to have; one that does not fit, or is not
        there, is one that says so. ValueError if it is no part."""
        if not isinstance(entries, list):
            raise ValueError("the operations are no list")
        self._numbers = numbers
        found = [self._operation(entry) for entry in entries[:n]]
        n_missing = n - len(found)
        self.n_lost += n_missing
        return found + [damaged_operation()] * n_missing

    def _operation(self, entry: Any) -> Operation:
        try:
            carried = self._carried(entry[CARRIED]) if CARRIED in entry else None
            return operation_from(entry, self._stroke, carried)
        except MISFIT:
            self.n_lost += 1
            return damaged_operation()

    def _stroke(self, entry: Any) -> StrokeRecord | None:
        if isinstance(entry, list):
            layer_id, number = entry
            return self._strokes.at(layer_id, number)
        assert self._numbers is not None
        return strokes_from([entry], self._numbers)[0]

    def _carried(self, entry: Mapping[str, Any]) -> Carried:
        layers = None
        if "layers" in entry:
            layers = tuple(one if isinstance(one, int) else layer_from(one, self)
                           for one in entry["layers"])  # fmt: skip
        planes = None
        if "planes" in entry:
            planes = planes_from(entry["planes"], entry["regions"], self)
        return Carried(
            layers,
            kept_brief_from(entry["brief"]) if "brief" in entry else None,
            findings_from(entry["findings"]) if "findings" in entry else None,
            planes,
            trials_from(entry["trials"])[0] if "trials" in entry else None,
            unknown(dict(entry), _CARRIED_KEYS),
        )  # fmt: skip

    def refers_to_file(self, layer_id: int) -> bool:  # noqa: ARG002
        return False

    def tiles(self, entry: Entry, layer_id: int, plane: str, channels: int, fill: int) -> Tiles:
        return self._members.tiles(entry, layer_id, plane, channels, fill)

    def layers(self, entries: list[Any]) -> Layers:
        return tuple(layer_from(entry, self) for entry in entries)

    def strokes(self, entry: Entry, layer_id: int) -> tuple[StrokeRecord, ...]:  # noqa: ARG002
        found: list[StrokeRecord | None] = []
        for one in entry.get("strokes", []):
            if isinstance(one, list):
                where, first, n = one
                found += [self._strokes.at(where, first + k) for k in range(min(n, 2**20))]
            else:
                found.append(self._stroke(one))
        return tuple(stroke for stroke in found if stroke is not None)
