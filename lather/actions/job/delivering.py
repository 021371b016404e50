"""Commands that write finished pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from lather.actions.action import Action, has_job
from lather.actions.job.saving import may_replace, suggested
from lather.actions.job.settling import after_stroke
from lather.actions.work.proposing import not_taken
from lather.actions.workbench import Workbench
from lather.assist.even.layers import SHINE, TAMED, work_of
from lather.core.work import CancelToken, Progress
from lather.document.agreed.brief import Brief, Delivered
from lather.document.layers.unknown import UnknownLayer
from lather.document.photo import Metadata
from lather.document.state import JobState
from lather.document.tree import walk
from lather.errors import UsageError
from lather.files import endings
from lather.files.exchange.delivery import (
    DEFAULT_PATTERN,
    ENDINGS,
    PRESETS,
    Delivery,
    SizeBy,
    delivery_from_json,
)
from lather.files.outputs import Form, Output, check_outputs, with_ending
from lather.settings.store import Settings

DELIVERY_CAUTION = (
    "Changing how a person looks needs their consent, for children their guardian's. Identity "
    "documents must not be retouched. Some places require retouched advertising to be "
    "labelled: check the local rules."
)


Order = tuple[Path, Delivery]


def deliver(bench: Workbench) -> None:
    after_stroke(bench, lambda: bench.in_turn(lambda: _deliver(bench)))


def _deliver(bench: Workbench) -> None:
    job = bench.open_job
    orders = bench.ask.orders(job)
    if orders is None:
        return
    deliver_to(bench, orders)


def agreed_deliveries(brief: Brief) -> tuple[Delivery, ...]:
    """What the brief says is delivered; () where nothing was agreed on but the default."""
    plain = Brief()
    sizes_px = (brief.delivery_long_side_px, *brief.more_sizes_px)
    if (brief.formats, sizes_px) == (plain.formats, (None,)):
        return ()
    named = len(sizes_px) > 1  # the same name twice would be one file
    return tuple(
        replace(
            _agreed(form), name=f"Brief: {form.label}, {_size(px)}",
            size_by=SizeBy.FULL if px is None else SizeBy.LONG_SIDE_PX, size=float(px or 0),
            pattern="{title}_{width}x{height}" if named else DEFAULT_PATTERN,
        )
        for form in brief.formats if form.known for px in sizes_px
    )  # fmt: skip


@dataclass(frozen=True)
class Planned:
    """A delivery that is offered.

    Attributes
    ----------
    is_ticked : it is written, unless the person says otherwise.
    is_agreed : the brief says so.
    is_usual : it would be ticked without a brief.
    """

    delivery: Delivery
    is_ticked: bool
    is_agreed: bool = False
    is_usual: bool = False


def planned(brief: Brief, settings: Settings) -> list[Planned]:
    """What the brief says, and the person's presets; what is in the brief is what is ticked."""
    presets: list[tuple[Delivery, bool]] = []
    for entry in settings["deliveries"]:
        try:
            presets.append((delivery_from_json(entry), bool(entry.get("ticked"))))
        except (ValueError, TypeError, AttributeError, OverflowError):
            continue  # written by a newer version, or by hand
    presets = presets or [(preset, preset is PRESETS[0]) for preset in PRESETS]
    agreed = agreed_deliveries(brief)
    return [Planned(delivery, True, is_agreed=True) for delivery in agreed] + [
        Planned(delivery, ticked and not agreed, is_usual=ticked) for delivery, ticked in presets
    ]


def _agreed(form: Delivered) -> Delivery:
    """A format as it is delivered where only the format was agreed on."""
    delivery = Delivery(suffix=ENDINGS[form][0])
    if form is Delivered.TIFF:  # for whoever goes on working on it
        return replace(delivery, depth_bits=16, to_srgb=False)
    return delivery


def _size(long_side_px: int | None) -> str:
    return "full size" if long_side_px is None else f"{long_side_px} px"


def deliver_to(bench: Workbench, orders: Sequence[Order]) -> None:
    """Write finished pictures aside."""
    state = bench.state

    def done(nothing: None) -> None:  # noqa: ARG001
        names = ", ".join(path.name for path, _ in orders)
        said = f"Delivered to {orders[0][0].parent}: {names}"
        without = [f"'{x.name}'" for x in walk(state.layers) if isinstance(x, UnknownLayer)]
        if without:
            said += f", without {', '.join(without)} of a newer Lather."
        if not_taken(bench):
            said += f". {not_taken(bench)}"
        bench.say(said, error=bool(without or not_taken(bench)))

    bench.run_task(
        "Delivering",
        lambda progress, cancel: write_pictures(state, orders, progress, cancel),
        done,
        retry=lambda: deliver_to(bench, orders),
        must_end=True,
    )


def write_pictures(
    state: JobState, orders: Sequence[Order], progress: Progress, cancel: CancelToken
) -> None:
    """Flatten a job once and write it as one or more pictures; none over the photo itself."""
    from lather.files.exchange.delivery import check_writable, encode_photo, refuse_the_photo
    from lather.render.flatten import flatten

    paths = [path for path, _ in orders]
    for path, delivery in orders:
        check_writable(path, delivery.depth_bits)
        refuse_the_photo(path, state.photo)
        if paths.count(path) > 1:
            raise UsageError(
                f"'{path.name}' was not written",
                "two deliveries have that name",
                "put {preset} or {width} into one of the name patterns",
            )
    inputs = [state.photo.path] if state.photo.path is not None else []
    check_outputs(inputs, [Output(path, Form.PICTURE) for path in paths])
    samples = flatten(state, 16, progress=progress, cancel=cancel)
    for number, (path, delivery) in enumerate(orders):
        cancel.check()
        progress(0.9 + 0.1 * number / len(orders), f"writing {path.name}")
        encode_photo(samples, state.photo.profile, path, delivery, _metadata(state))


def _metadata(state: JobState) -> Metadata:
    """The photo's, and what of this work cannot be seen in the picture."""
    own = state.photo.metadata
    tamed = any(work_of(layer) == SHINE and layer.is_shown for layer in walk(state.layers))
    return replace(own, done=(*own.done, TAMED)) if tamed and TAMED not in own.done else own


def export_openraster(bench: Workbench) -> None:
    """All layers, for programs that read OpenRaster."""
    after_stroke(bench, lambda: bench.in_turn(lambda: _export(bench)))


def _export(bench: Workbench) -> None:
    from lather.files.exchange.carried import not_carried

    state = bench.state
    beside = suggested(bench.open_job, endings.LAYERS)
    path = bench.ask.path_to_export(beside, not_carried(state))
    if path is None:
        return
    target = with_ending(path, endings.LAYERS)
    if not may_replace(bench, target):
        return

    def work(progress: Progress, cancel: CancelToken) -> Path:
        write_layers(state, target, progress, cancel)
        return target

    bench.run_task(
        "Exporting",
        work,
        lambda written: bench.say(f"Exported: {written.name}"),
        retry=lambda: export_openraster(bench),
        must_end=True,
    )


def write_layers(state: JobState, path: Path, progress: Progress, cancel: CancelToken) -> None:
    """Write a job as OpenRaster."""
    from lather.files.exchange.openraster import write_openraster
    from lather.render.flatten import flatten
    from lather.render.pictures import Pictures

    merged = flatten(state, state.photo.depth_bits, progress=progress, cancel=cancel)
    write_openraster(state, merged, path, pictures=Pictures(state), progress=progress,
                     cancel=cancel)  # fmt: skip


ACTIONS = (
    Action(
        "job.export_layers",
        "Export layers…",
        "Write all layers as OpenRaster, for other programs.",
        "Job",
        export_openraster,
        enabled=has_job,
    ),
    Action(
        "job.deliver",
        "Deliver…",
        "Write the finished picture, in one or several formats and sizes.",
        "Job",
        deliver,
        enabled=has_job,
    ),
)
