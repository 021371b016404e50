"""The contract between the folders: who may import whom, and that only `ui` knows Qt."""

import ast
import subprocess
import sys
import unittest

from tests.sources import PACKAGE, ROOT, imported_modules, module_name, tree_of

INNER = {"errors", "__init__", "names", "paths"}
ALLOWED = {
    "core": set(),
    "document": {"core"},
    "render": {"core", "document"},
    "files": {"core", "document"},
    "settings": {"core", "document", "files"},
    "assist": {"core", "document", "render"},
    "tools": {"core", "document", "render", "assist"},
    "operations": {"core", "document", "render", "assist", "files", "tools"},
    "actions": {
        "core", "document", "render", "assist", "files", "settings", "tools", "operations", "paths",
    },
    "ui": {
        "core", "document", "render", "assist", "files", "settings", "tools", "operations",
        "actions", "paths",
    },
    "cli": {
        "core", "document", "render", "assist", "files", "settings", "tools", "operations",
        "actions", "ui", "paths",
    },
}  # fmt: skip
LONGEST_MODULE_LINES = 420
MOST_FILES = 25  # in a drawer
FILE_A_KIND = {"document/layers", "render/layers", "render/lenses", "ui/layers/cards"}


def circles(needs: dict[str, set[str]]) -> list[str]:
    """A module in every circle of imports."""
    done: set[str] = set()
    found: list[str] = []

    def visit(name: str, under_way: tuple[str, ...]) -> None:
        if name in under_way:
            found.append(" -> ".join((*under_way[under_way.index(name):], name)))
        elif name not in done:
            for other in sorted(needs[name]):
                visit(other, (*under_way, name))
            done.add(name)

    for name in needs:
        visit(name, ())
    return found


class ArchitectureTest(unittest.TestCase):
    def test_every_folder_has_its_place(self) -> None:
        folders = {path.parent.relative_to(PACKAGE).parts[:1] for path in PACKAGE.rglob("*.py")}
        self.assertEqual({parts[0] for parts in folders if parts}, set(ALLOWED))

    def test_imports_name_the_whole_way(self) -> None:
        """A relative import would pass by the table of who may import whom."""
        for path in PACKAGE.rglob("*.py"):
            relative = [node for node in ast.walk(tree_of(path))
                        if isinstance(node, ast.ImportFrom) and node.level]  # fmt: skip
            self.assertEqual(relative, [], path)

    def test_no_import_goes_round_in_a_circle(self) -> None:
        """Imports within functions and for type checkers alone count, too."""
        modules = {module_name(path): path for path in PACKAGE.rglob("*.py")}
        needs = {
            name: {other for other in imported_modules(path)
                   if other in modules and not f"{name}.".startswith(f"{other}.")}
            for name, path in modules.items()
        }  # fmt: skip
        self.assertEqual(circles(needs), [])
        self.assertEqual(circles({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}}),
                         ["a -> b -> c -> a"])

    def test_dependencies_point_inward(self) -> None:
        for folder, allowed in ALLOWED.items():
            for path in (PACKAGE / folder).rglob("*.py"):
                for name in imported_modules(path):
                    parts = name.split(".")
                    if parts[0] != "lather" or len(parts) < 2:
                        continue
                    with self.subTest(file=str(path.relative_to(ROOT)), imports=name):
                        self.assertIn(parts[1], allowed | INNER | {folder, "__version__"})

    def test_only_the_interface_imports_the_toolkit(self) -> None:
        for path in PACKAGE.rglob("*.py"):
            uses = any(name.split(".")[0] == "PyQt6" for name in imported_modules(path))
            if uses:
                self.assertEqual(path.relative_to(PACKAGE).parts[0], "ui", path)

    def test_all_texts_are_painted_by_one_function(self) -> None:
        for path in (PACKAGE / "ui").rglob("*.py"):
            if path.relative_to(PACKAGE / "ui").as_posix() != "parts/texts.py":
                self.assertNotRegex(path.read_text(encoding="utf-8"), r"drawText\(|elidedText\(",
                                    path)  # fmt: skip

    def test_core_loads_without_toolkit_compiler_or_decoder(self) -> None:
        code = (
            "import sys, lather.core.blend.composite, lather.core.brush.dabs, "
            "lather.tools.session, lather.actions.table\n"
            "lather.actions.table.all_actions()\n"
            "print([m for m in ('PyQt6', 'numba', 'cv2', 'pyvips', 'scipy') if m in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True,
                              cwd=ROOT, check=True)
        self.assertEqual(done.stdout.strip(), "[]")

    def test_modules_stay_short(self) -> None:
        for path in PACKAGE.rglob("*.py"):
            n_lines = len(path.read_text(encoding="utf-8").splitlines())
            self.assertLessEqual(n_lines, LONGEST_MODULE_LINES, path)

    def test_every_drawer_can_be_looked_through(self) -> None:
        for folder in (PACKAGE, *(path for path in PACKAGE.rglob("*") if path.is_dir())):
            name = folder.relative_to(PACKAGE).as_posix()
            if name not in FILE_A_KIND:
                n_files = sum(path.name != "__init__.py" for path in folder.glob("*.py"))
                self.assertLessEqual(n_files, MOST_FILES, name)

    def test_every_module_says_what_it_is(self) -> None:
        for path in PACKAGE.rglob("*.py"):
            tree = tree_of(path)
            if tree.body:
                self.assertIsNotNone(ast.get_docstring(tree), path)


if __name__ == "__main__":
    unittest.main()
