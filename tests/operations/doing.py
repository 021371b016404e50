"""Random work on a made-up portrait, by commands, strokes and what is dragged: for what is done
again."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

import numpy as np
from hypothesis import strategies as st

from lather.actions.findings.face import move_handle
from lather.assist.picking import apply_pick, picked_in_region
from lather.core.area.combine import Combine
from lather.core.blend.modes import BlendMode
from lather.core.brush.stroke import Brush, PenSample
from lather.core.mend.mode import MendMode
from lather.core.mend.placement import Turn
from lather.core.survey.faces.geometry import HANDLES, FaceGeometry
from lather.core.survey.findings.finding import Kind
from lather.core.survey.regions.region import REGIONS_AND_PARTS, Region
from lather.document import edits
from lather.document.findings import FindingState
from lather.document.layers.computed import ComputedLayer
from lather.document.layers.layer import Stage
from lather.document.layers.limits import Limits, Span
from lather.document.state import JobState
from lather.document.tree import walk
from lather.errors import LatherError
from lather.operations.commands import COMMANDS
from lather.tools.base import Hand, ShapeHand
from lather.tools.source import PickedSource, Reads, SourceGoes
from lather.tools.table import TOOLS, tool
from tests.actions.test_walking_on import ACTIONS, BenchCase
from tests.assist.test_limited import even_state
from tests.even_skin import MM
from tests.support import finding

SPOTS = ((70.0, 200.0), (150.0, 60.0), (160.0, 160.0), (250.0, 120.0))
RUN = sorted(name for name, does in COMMANDS.items() if does.leads_to and name[:5] != "tool."
             and name not in ("brief.open", "brief.identity"))  # a dialog; nothing goes on it
DRAWN = [one.id for one in TOOLS]
DRAGGED = ("strength", "mode", "limits", "parameter", "move", "into", "handle", "brief", "range",
           "scale", "decide", "select", "region", "undo", "redo", "back to")  # fmt: skip


def work(most: int, kinds: tuple[list[str], ...] = (RUN, DRAWN, list(DRAGGED))):
    """Hypothesis: what is done one after the other."""
    names = st.one_of(*map(st.sampled_from, kinds))
    return st.lists(st.tuples(names, st.integers(0, 40)), min_size=3, max_size=most)


def portrait() -> JobState:
    """Skin with shine, blotches, regions, spots, and a face of which the pupils are known."""
    state = even_state()
    samples = state.photo.samples.copy()
    ys, xs = np.mgrid[: samples.shape[0], : samples.shape[1]] + 0.5
    for x, y in SPOTS:
        spot = 0.4 * np.exp(-(np.hypot(xs - x, ys - y) ** 2) / (2 * 3.0**2))
        samples = (samples * (1 - spot[..., None])).astype(samples.dtype)
    first = 1 + max(f.id for f in state.findings.items)
    spots = [finding(first + n, x, y, kind=Kind.DARK if n else Kind.MOLE, radius_px=6.0)
             for n, (x, y) in enumerate(SPOTS)]  # fmt: skip
    found = replace(state.findings, items=(*state.findings.items, *spots),
                    faces=(FaceGeometry.from_pupils((110.0, 140.0), (210.0, 142.0)),))  # fmt: skip
    photo = replace(state.photo, samples=samples)
    found = found.decided([first], FindingState.KEPT)
    return replace(state, photo=photo, findings=found.at_scale(MM))


class DoingCase(BenchCase):
    """A bench on the portrait, and hands that do what they are told."""

    def setUp(self) -> None:
        super().setUp()
        self._changes: dict[str, object] = {}
        self.answers.answers |= {"text": "2", "ungroup": True}

    def do(self, name: str, pick: int) -> None:
        """One of what there is to do; what is refused is not done."""
        try:
            if name in DRAWN:
                self.draw(name, pick)
            elif name in DRAGGED:
                self.drag(name, pick)
            elif ACTIONS[name].enabled(self.bench):
                if name == "finding.scale":
                    self.drag("scale", pick)
                else:
                    ACTIONS[name].run(self.bench)
        except LatherError:
            pass
        if pick % 4:  # else it goes on aside while the next thing is done
            self.work()

    def work(self) -> None:
        """What is refused at its end is no fault."""
        while self.tasks.posted:
            with suppress(LatherError):
                self.tasks.run()

    def draw_with(self, tool_id: str, pick: int, **changes: object) -> None:
        """`draw`, with something else in the hand."""
        self._changes = changes
        self.do(tool_id, pick)
        self._changes = {}

    def draw(self, tool_id: str, pick: int) -> None:
        random = np.random.default_rng(pick)
        row = tool(tool_id)
        brush = replace(
            row.brush, size_px=float(random.uniform(8, 60)), hardness=float(random.random()),
            opacity=float(random.uniform(0.2, 1)), build_up=pick % 5 == 0,
            pressure_size=pick % 3 == 0, pressure_opacity=pick % 4 == 0,
        )  # fmt: skip
        x, y = random.uniform(60, 260, 2)
        hand = Hand(
            tool_id, brush, (0.2, 0.5, float(random.random())), list(MendMode)[pick % 3],
            on_mask=row.works_on_mask and pick % 2 == 0, source=PickedSource(x, y),
            source_goes=list(SourceGoes)[pick % 3], reads=list(Reads)[pick % 4],
            turn=Turn(pick % 7 == 0, 15.0 * (pick % 3)), combine=list(Combine)[pick % 4],
            weak=pick % 2 == 0, curve=("rgb", "red", "lightness")[pick % 3],
            region=list(Region)[pick % 5], stage=list(Stage)[pick % 7],
            shape=ShapeHand(3.0 + pick, pick % 2 == 0, pick % 3 == 0),
        )  # fmt: skip
        history = self.bench.open_job.history
        if tool_id == "paint_back" and history.n_done and pick % 2:
            hand = replace(hand, back_to=history.done[pick % history.n_done].before)
        session = self.bench.session
        assert session is not None
        session.hand = replace(hand, **self._changes)
        start, way = random.uniform(40, 280, 2), random.uniform(-90, 90, 2)
        bow = random.uniform(-40, 40, 2)
        at_s = 1000.0 + pick / 7
        for n in range(9):
            t = n / 8
            px, py = start + t * way + 4 * t * (1 - t) * bow
            pressure = 0.2 + 0.8 * float(random.random())
            sample = PenSample(at_s + 0.013 * n, float(px), float(py), pressure)
            (session.move if n else session.down)(sample)
            session.rest(sample.time_s + 0.004)
        session.rest(at_s + 0.9)
        session.up(PenSample(at_s + 1.0, float(px), float(py), 0.0))

    def drag(self, name: str, pick: int) -> None:
        bench, state = self.bench, self.bench.state
        layers = list(walk(state.layers))
        layer = layers[-1 - pick % len(layers)]
        other = layers[(pick // 3) % len(layers)]
        parameters = list(layer.TAKES.specs()) if isinstance(layer, ComputedLayer) else []
        if name == "strength":
            for share in (pick / 40, pick / 80):
                bench.change("Strength", edits.set_strength, layer.id, share, gesture=("s", pick))
        elif name == "mode":
            bench.change("Blend mode", edits.set_mode, layer.id, list(BlendMode)[pick % 12])
        elif name == "limits":
            limits = Limits(Span(low_l=pick / 2), (Region.SKIN,) if pick % 2 else ())
            bench.change("Limits", edits.set_limits, layer.id, limits)
        elif name == "parameter" and parameters:
            name = parameters[pick % len(parameters)]
            values = {"ranges": [{"middle_deg": 9.0 * pick}], "rgb": ((0.0, pick / 90), (1.0, 1.0))}
            bench.change("Set", edits.set_parameter, layer.id, name, values.get(name, pick / 3))
        elif name == "move":
            bench.change("Move layer", edits.move, layer.id, above_id=other.id)
        elif name == "into":
            bench.change("Move layer", edits.move_into, layer.id, group_id=other.id)
        elif name == "handle":
            move_handle(bench, 0, HANDLES[pick % 8], 90.0 + 3 * pick, 150.0 + pick)
        elif name == "brief":
            brief = replace(state.brief, delivery_long_side_px=100 + pick)
            bench.change("Brief", edits.set_brief, brief, gesture=("brief", "size"))
        elif name == "range":
            picked = picked_in_region(state, layer.id, Region.SKIN)
            bench.change("Range from skin", apply_pick, layer.id, picked, "rgb")
        elif name == "decide":
            ids = [f.id for f in state.findings.items[pick % 5 :: 4]]
            bench.change("Decide", edits.decide, ids, list(FindingState)[pick % 4])
        elif name == "select":
            bench.select_layer(layer.id)
        elif name == "region":
            bench.hands.set_region(REGIONS_AND_PARTS[pick % len(REGIONS_AND_PARTS)])
        elif name == "scale":
            from lather.document.scale import set_scale

            bench.change("Set the scale", set_scale, 0.3 + pick / 100)
        elif name in ("undo", "redo"):
            getattr(bench, name)()
        elif name == "back to":
            bench.go_to_step(pick % (1 + bench.open_job.history.n_done))


__all__ = ["DRAGGED", "DRAWN", "RUN", "Brush", "DoingCase", "portrait", "work"]
