"""All measures of the check, in the order of the ladder. A later stage adds its rows here."""

from __future__ import annotations

from lather.assist.check import fault_rows, feature_rows, other_rows, skin_rows
from lather.assist.check.reading import Row

ROWS: tuple[Row, ...] = (*skin_rows.ROWS, *feature_rows.ROWS, *other_rows.ROWS, *fault_rows.ROWS)
BY_ID = {row.id: row for row in ROWS}
