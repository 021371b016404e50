"""Puts the rows of a bench run into docs/performance.md: `bench_page.py ROWS.json`.

With `--some` the run was one of a few groups: its rows take the place of those of the same names,
new ones come last, and all others stay.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from lather.paths import SOURCE_TREE

PAGE = SOURCE_TREE / "docs" / "performance.md"
BEGIN, END = "<!-- rows of a run of `make bench` -->\n", "<!-- end of the rows -->\n"


def table(rows: list[dict[str, Any]]) -> str:
    """The rows as a table; every miss says so."""
    lines = ["| figure | value | reference | ratio | target | |", "|---|---|---|---|---|---|"]
    for row in rows:
        held = row["reference"]
        if row["reference_value"] is not None:
            held += f", {row['reference_value']:.4g} {row['unit']}"
        ratio = "" if row["ratio"] is None else f"{row['ratio']:.2f}"
        verdict = {None: "", True: "holds", False: "**missed**"}[row["ok"]]
        lines.append(f"| {row['name']} | {row['value']:.4g} {row['unit']} | {held} | {ratio} | "
                     f"{row['target']} | {verdict} |")  # fmt: skip
    return "\n".join(lines) + "\n"


def main() -> None:
    rows = json.loads(Path(sys.argv[1]).read_text(encoding="utf-8"))
    page = PAGE.read_text(encoding="utf-8")
    before, rest = page.split(BEGIN)
    earlier, after = rest.split(END)
    now = table(rows)
    if "--some" in sys.argv:
        now = merged(earlier.strip(), now.strip())
    PAGE.write_text(f"{before}{BEGIN}\n{now}\n{END}{after}", encoding="utf-8")


def merged(earlier: str, now: str) -> str:
    """The lines of a table with those of a later one in their places."""
    later = {line.split(" | ")[0]: line for line in now.splitlines()}
    lines = [later.pop(line.split(" | ")[0], line) for line in earlier.splitlines()]
    return "\n".join([*lines, *later.values()]) + "\n"


if __name__ == "__main__":
    main()
