"""A stage is a row in each room's table, and nobody else asks which stage it is."""

import ast
import unittest
from collections.abc import Iterator

from lather.actions.stages import table as in_actions
from lather.assist import stages as in_assist
from lather.core.survey.findings.finding import Kind
from lather.core.survey.findings.kinds import KINDS
from lather.tools import stages as in_tools
from lather.ui.stages import table as in_ui
from tests.sources import PACKAGE

TABLES = {
    f"{room}.py" for room in ("assist/stages", "tools/stages", "actions/stages/table",
                              "ui/stages/table", "core/survey/findings/kinds")
}  # fmt: skip
VALUES = set(in_assist.STAGES)
# An assistant knows the stage that it works for, and which layers of it are its own.
OWN = "STAGE"
ASSISTANTS = "assist/"


def names_a_stage(node: ast.AST) -> bool:
    """`Stage.CLEAN`, wherever in an expression."""
    return any(
        isinstance(part, ast.Attribute) and isinstance(part.value, ast.Name)
        and part.value.id == "Stage" and part.attr.isupper()
        for part in ast.walk(node)
    )  # fmt: skip


def is_named(node: ast.AST, *names: str) -> bool:
    return any(isinstance(part, ast.Name) and part.id in names for part in ast.walk(node))


def reads_a_stage(node: ast.AST) -> bool:
    """`layer.stage`, `kind.stage`, `stage.value`."""
    text = ast.unparse(node)
    return text == "stage" or text.endswith((".stage", "stage.value"))


def asks_in_words(node: ast.Compare) -> bool:
    """`kind.stage == "clean"`, `stage.value in ("clean", "even")`."""
    sides = [node.left, *node.comparators]
    words = {part.value for side in sides for part in ast.walk(side)
             if isinstance(part, ast.Constant) and isinstance(part.value, str)}  # fmt: skip
    return bool(words & VALUES) and any(map(reads_a_stage, sides))


def questions(source: str, *, owns_one: bool = False) -> Iterator[str]:
    """Where a module asks which stage it is, or goes through the enum."""
    named = () if owns_one else (OWN, "BEGINS_IN")
    for node in ast.walk(ast.parse(source)):
        match node:
            case ast.Compare():
                found = names_a_stage(node) or is_named(node, *named) or asks_in_words(node)
            case ast.Dict():
                found = any(key is not None and names_a_stage(key) for key in node.keys)
            case ast.Subscript():
                found = names_a_stage(node.slice)
            case ast.MatchValue():
                found = names_a_stage(node)
            case ast.For() | ast.comprehension():
                found = is_named(node.iter, "Stage") and not names_a_stage(node.iter)
            case ast.Call(func=ast.Name(id="list" | "tuple" | "set" | "sorted" | "enumerate")):
                found = any(ast.unparse(given) == "Stage" for given in node.args)
            case _:
                found = False
        if found:
            yield ast.unparse(node)


class TablesTest(unittest.TestCase):
    def test_the_four_rooms_have_the_same_stages_in_the_same_order(self) -> None:
        for room in (in_tools, in_actions, in_ui):
            with self.subTest(room.__name__):
                self.assertEqual(list(room.STAGES), list(in_assist.STAGES))

    def test_every_kind_has_a_row_of_a_stage_that_there_is(self) -> None:
        self.assertEqual(set(KINDS), {kind.value for kind in Kind})
        self.assertLessEqual({row.stage for row in KINDS.values()}, VALUES)

    def test_an_assistant_answers_findings_of_its_own_stage(self) -> None:
        for stage in in_assist.in_order():
            for name, assistant in in_assist.row(stage).assistants.items():
                with self.subTest(name):
                    self.assertLessEqual({kind.stage for kind in assistant.kinds}, {stage.value})


class NobodyAsksTest(unittest.TestCase):
    def test_no_module_outside_the_tables_compares_a_stage(self) -> None:
        found = []
        for path in sorted(PACKAGE.rglob("*.py")):
            name = path.relative_to(PACKAGE).as_posix()
            if name not in TABLES:
                owns_one = name.startswith(ASSISTANTS)
                asked = questions(path.read_text(encoding="utf-8"), owns_one=owns_one)
                found += [f"{name}: {text}" for text in asked]
        self.assertEqual(found, [])

    def test_it_would_be_seen(self) -> None:
        for source in (
            "if layer.stage is Stage.CLEAN: pass",
            "x = stage in (Stage.CLEAN, Stage.EVEN)",
            "x = {Stage.CLEAN: 1}[stage]",
            "x = TITLES[Stage.EVEN]",
            "x = [stage.title for stage in Stage]",
            "for number, stage in enumerate(Stage): pass",
            "x = tuple(Stage)",
            "x = kind.stage == 'clean'",
            "x = bench.stage.value in ('clean', 'even')",
            "x = bench.stage is STAGE",
            "match stage:\n    case Stage.CLEAN: pass",
        ):
            with self.subTest(source):
                self.assertNotEqual(list(questions(source)), [])

    def test_to_name_one_is_no_question(self) -> None:
        for source in (
            "layer = PixelLayer(stage=Stage.CLEAN)",
            "bench.show_stage(Stage.FINISH)",
            "x = layer.stage is stage",
            "x = stage in stages_built()",
        ):
            with self.subTest(source):
                self.assertEqual(list(questions(source)), [])


if __name__ == "__main__":
    unittest.main()
