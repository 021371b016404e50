"""The table of operations is held to those of commands, tools and assistants."""

from __future__ import annotations

import inspect
import unittest

from lather.actions.table import all_actions
from lather.assist.request import assistants
from lather.document.operations.operation import Again
from lather.operations.commands import COMMANDS, WITHOUT_COMMAND
from lather.operations.edits import EDITS
from lather.operations.table import KINDS
from lather.tools.table import TOOLS

GIVEN = {"state", "progress", "cancel", "kwargs", "by"}  # by the job, or by who works it out


class TableTest(unittest.TestCase):
    def test_every_command_says_what_it_does(self) -> None:
        self.assertEqual({action.id for action in all_actions()}, COMMANDS.keys())
        for name, does in COMMANDS.items():
            self.assertNotEqual(bool(does.leads_to), bool(does.why_none), name)

    def test_every_tool_and_assistant_is_an_operation(self) -> None:
        for tool in TOOLS:
            self.assertIs(KINDS[f"tool.{tool.id}"].again, Again.SAME, tool.id)
        for name in assistants():
            self.assertIs(KINDS[f"assist.{name}"].again, Again.MEANING, name)

    def test_every_operation_is_reached_and_there(self) -> None:
        reached = {name for does in COMMANDS.values() for name in does.leads_to}
        self.assertEqual(reached | WITHOUT_COMMAND.keys(), KINDS.keys())

    def test_an_edit_takes_what_its_row_says(self) -> None:
        """And nothing that would be lost."""
        for row in EDITS:
            takes = inspect.signature(row.function).parameters
            named = {name for name, one in takes.items()
                     if one.kind is not inspect.Parameter.VAR_KEYWORD}  # fmt: skip
            said = {*row.arguments, *filter(None, (row.stroke,))}
            with self.subTest(row.id):
                self.assertLessEqual(named - GIVEN - {"shares"}, said)
                if len(named) == len(takes):
                    self.assertLessEqual(said, named)


if __name__ == "__main__":
    unittest.main()
