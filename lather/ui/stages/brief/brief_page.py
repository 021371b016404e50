"""The brief as a page over the picture: what was agreed, and what each style allows."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lather.actions.action import Action
from lather.actions.stages.briefing import change_brief, sizes_of
from lather.actions.workbench import Workbench
from lather.assist.briefing import NOT_BUILT, money, zoom_advice
from lather.core.bounds import LARGEST_AMOUNT, LARGEST_SIDE_PX
from lather.document.agreed.brief import Brief, Delivered, Task, missing_consent
from lather.document.agreed.style import Style
from lather.document.layers.layer import Stage
from lather.document.state import JobState
from lather.ui.parts.fields import (
    Columns,
    DateField,
    fields,
    in_pairs,
    number_field,
    set_number,
    set_text,
    together,
)
from lather.ui.parts.theme import GAP_2, GAP_3, GAP_4
from lather.ui.parts.widgets import CommandButton, column_in, dress_anew, label
from lather.ui.stages.page import StagePage

COMMANDS = (("brief.open", "From a file…"), ("brief.save", "To a file…"), ("brief.clear", "Clear"))
WORDS_PX = 64


class BriefPage(StagePage):
    """Every field is one undoable step of the job."""

    def __init__(self, stage: Stage, bench: Workbench, actions: dict[str, Action]) -> None:
        super().__init__(stage, bench, actions)
        self._showing = False
        self._columns: list[Columns] = []
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        page = QWidget()
        self.setWidget(page)
        column = QVBoxLayout(page)
        column.setContentsMargins(GAP_4, GAP_4, GAP_4, GAP_4)
        column.setSpacing(GAP_3)
        column.addLayout(self._heading(actions))
        column.addWidget(self._words())
        column.addWidget(self._styles(actions))
        column.addWidget(self._tasks())
        column.addWidget(self._order())
        column.addWidget(self._consent())
        column.addStretch(1)
        self.heard.to(bench.job_opened, self.reset)
        self.heard.to(bench.job_changed, self._on_job_changed)
        self.heard.to(bench.stage_changed, self.reset)
        self.reset()

    def reset(self) -> None:
        """Read the brief back."""
        job = self.bench.job
        self.setEnabled(job is not None)
        if self.bench.stage is not self.stage or job is None:
            return
        self._showing = True
        self._show(job.state.brief, job.state)
        self._showing = False

    def _on_job_changed(self, before: JobState, after: JobState) -> None:
        if before.brief is not after.brief or before.findings is not after.findings:
            self.reset()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Fewer columns where there is no room for more."""
        super().resizeEvent(event)
        self._arrange()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Texts of another size need another width."""
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self._arrange()
        return super().eventFilter(watched, event)

    def _arrange(self) -> None:
        viewport = self.viewport()
        assert viewport is not None
        room_px = viewport.width() - 2 * GAP_4
        for columns in self._columns:
            columns.arrange_in(room_px)

    # --- parts ---------------------------------------------------------------------------

    def _heading(self, actions: dict[str, Action]) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(GAP_2)
        row.addWidget(label("The brief", "title"))
        row.addStretch(1)
        self.commands = [CommandButton(actions[name], self.bench, text=text)
                         for name, text in COMMANDS]  # fmt: skip
        for button in self.commands:
            button.setProperty("role", "compact")
            row.addWidget(button)
        return row

    def _words(self) -> QWidget:
        card, column = _card("In the client's words")
        self.words = QPlainTextEdit()
        self.words.setAccessibleName("In the client's words")
        self.words.setPlaceholderText("As they said it: \"clean skin, but keep my freckles …\"")
        self.words.setFixedHeight(WORDS_PX)
        self.words.setTabChangesFocus(True)
        self.words.textChanged.connect(
            lambda: self._change("words", words=self.words.toPlainText()))
        column.addWidget(self.words)
        return card

    def _styles(self, actions: dict[str, Action]) -> QWidget:
        card, column = _card("How far to go")
        self.styles, group = {}, QButtonGroup(self)
        for style in Style:
            button = QPushButton(style.title.capitalize())
            button.setCheckable(True)
            button.setToolTip(style.help)
            button.clicked.connect(
                lambda checked, style=style: self._change("style", style=style))
            group.addButton(button)
            self.styles[style] = button
        column.addLayout(self._laid(Columns([(b,) for b in self.styles.values()], 5, 3)))
        self.style_help = label("", "dim")
        self.style_help.setWordWrap(True)
        column.addWidget(self.style_help)
        return card

    def _tasks(self) -> QWidget:
        card, column = _card("Parts of the work")
        self.tasks = {}
        for task in Task:
            later = ", not built yet" if task in NOT_BUILT else ""
            box = QCheckBox(f"{task.title.capitalize()}{later}")
            box.clicked.connect(lambda checked: self._on_task())
            self.tasks[task] = box
        grid = self._laid(Columns([(box,) for box in self.tasks.values()], 3, 2))
        column.addLayout(grid)
        return card

    def _order(self) -> QWidget:
        card, column = _card("Order and delivery")
        self.long_side = number_field(0, LARGEST_SIDE_PX, "full size", " px")
        self.long_side.valueChanged.connect(
            lambda px: self._change("size", delivery_long_side_px=px or None))
        self.n_pictures = number_field(0, int(LARGEST_AMOUNT), "–", "")
        self.n_pictures.valueChanged.connect(
            lambda n: self._change("pictures", n_pictures=n or None))
        self.fee = QDoubleSpinBox()
        self.fee.setRange(0, LARGEST_AMOUNT)
        self.fee.setSpecialValueText("–")
        self.fee.valueChanged.connect(lambda fee: self._change("fee", fee=fee or None))
        self.currency = QLineEdit()
        self.currency.setMaxLength(8)
        self.currency.textEdited.connect(lambda text: self._change("currency", currency=text))
        self.hours = QDoubleSpinBox()
        self.hours.setRange(0, LARGEST_AMOUNT)
        self.hours.setSpecialValueText("–")
        self.hours.setSuffix(" h")
        self.hours.valueChanged.connect(lambda h: self._change("hours", agreed_hours=h or None))
        self.deadline = self._day(lambda day: self._change("deadline", deadline=day))
        self.formats = {}
        for form in Delivered:
            box = QCheckBox(form.label)
            box.clicked.connect(lambda checked: self._on_format())
            self.formats[form] = box
        self.more_sizes = QLineEdit()
        self.more_sizes.setPlaceholderText("2048, 1080")
        self.more_sizes.editingFinished.connect(self._on_sizes)
        grid = self._laid(fields((
            ("Long side at delivery", self.long_side),
            ("Formats", in_pairs(*self.formats.values())),
            ("Further sizes", self.more_sizes), ("Deadline", self.deadline),
            ("Pictures", self.n_pictures),
            ("Fee for all of them", together(self.fee, self.currency)),
            ("Agreed hours", self.hours),
        )))  # fmt: skip
        self.currency.setMaximumWidth(64)
        column.addLayout(grid)
        self.advice = label("", "dim")
        self.advice.setWordWrap(True)
        column.addWidget(self.advice)
        return card

    def _consent(self) -> QWidget:
        card, column = _card("Consent")
        self.consent_by, self.guardian = QLineEdit(), QLineEdit()
        self.consent_by.setPlaceholderText("the person shown")
        self.guardian.setPlaceholderText("for a child")
        self.consent_by.textEdited.connect(
            lambda text: self._change("consent", consent_by=text))
        self.guardian.textEdited.connect(lambda text: self._change("guardian", guardian=text))
        self.consent_on = self._day(lambda day: self._change("consent_on", consent_on=day))
        grid = self._laid(fields((
            ("Given by", self.consent_by), ("On", self.consent_on), ("Guardian", self.guardian),
        )))  # fmt: skip
        column.addLayout(grid)
        self.asked = label("", "dim")
        self.asked.setWordWrap(True)
        column.addWidget(self.asked)
        return card

    def _day(self, taken: Callable[[str], None]) -> DateField:
        field = DateField()
        field.changed.connect(taken)
        field.refused.connect(lambda text: self.bench.say(
            f"The day stays as it was: '{text}' is none. Type it like 2026-12-24.", error=True))
        return field

    def _laid(self, columns: Columns) -> Columns:
        """Followed as the page's width changes."""
        self._columns.append(columns)
        return columns

    # --- in and out ----------------------------------------------------------------------

    def _show(self, brief: Brief, state: JobState) -> None:
        if self.words.toPlainText() != brief.words:
            self.words.setPlainText(brief.words)
        for style, button in self.styles.items():
            button.setChecked(style is brief.style)
        caution = brief.style.caution
        self.style_help.setText(
            brief.style.help + (f" {caution[0].upper()}{caution[1:]}." if caution else ""))
        for task, box in self.tasks.items():
            box.setChecked(not brief.tasks or task in brief.tasks)
            box.setEnabled(not brief.style.forbids_retouching)
        for field, number in ((self.long_side, brief.delivery_long_side_px),
                              (self.n_pictures, brief.n_pictures), (self.fee, brief.fee),
                              (self.hours, brief.agreed_hours)):  # fmt: skip
            set_number(field, number or 0)
        set_text(self.more_sizes, ", ".join(map(str, brief.more_sizes_px)))
        set_text(self.currency, brief.currency)
        for form, box in self.formats.items():
            box.setChecked(form in brief.formats)
        set_text(self.consent_by, brief.consent_by)
        set_text(self.guardian, brief.guardian)
        for day, text in ((self.deadline, brief.deadline), (self.consent_on, brief.consent_on)):
            day.set_day(text)
        self.advice.setText("  ".join(p for p in (zoom_advice(state), money(brief)) if p))
        asked = missing_consent(brief)
        self.asked.setText(asked or "Agreed. Keep the release where you keep contracts.")
        self.asked.setProperty("role", "warning" if asked else "dim")
        dress_anew(self.asked)
        for command in self.commands:
            command.refresh()

    def _change(self, what: str, **values: object) -> None:
        if self._showing or self.bench.job is None:
            return
        try:
            change_brief(self.bench, what, **values)
        except Exception as error:  # noqa: BLE001 - the edge
            self.bench.report(error, "The brief was not changed")
            self.reset()

    def _on_sizes(self) -> None:
        try:
            self._change("sizes", more_sizes_px=sizes_of(self.more_sizes.text()))
        except Exception as error:  # noqa: BLE001 - the edge
            self.bench.report(error, "The sizes were not taken")
            self.reset()

    def _on_task(self) -> None:
        chosen = tuple(task for task, box in self.tasks.items() if box.isChecked())
        self._change("tasks", tasks=() if len(chosen) == len(self.tasks) else chosen)

    def _on_format(self) -> None:
        chosen = tuple(form for form, box in self.formats.items() if box.isChecked())
        self._change("formats", formats=chosen)


def _card(title: str) -> tuple[QFrame, QVBoxLayout]:
    frame = QFrame()
    frame.setProperty("role", "line-card")
    column = column_in(frame, GAP_2)
    heading = label(title, "title")
    column.addWidget(heading)
    return frame, column
