"""Tables of text that somebody pastes or brings as a CSV file, for titles that say its rows."""

from __future__ import annotations

import csv
import io

from vistaline.core.errors import ShotError

__all__ = ["column_of", "read_table"]

MOST_ROWS = 500
"""Of a table: a title for each."""
_MOST_CHARACTERS = 2_000_000


def read_table(text: str) -> list[list[str]]:
    """Return the rows of a table, each a list of what its columns say; empty rows are left out.

    Columns are parted by tabs, semicolons or commas, whichever the text has, quoted as RFC 4180
    has it.

    >>> read_table('Ada;"a; b"\\n\\nBea;c')
    [['Ada', 'a; b'], ['Bea', 'c']]

    Raises
    ------
    ShotError
        It is empty, or too long.
    """
    if len(text) > _MOST_CHARACTERS or text.count("\n") > 100 * MOST_ROWS:
        lines = text.count("\n") + 1
        raise ShotError(
            f"The table has {lines:,} rows; {MOST_ROWS} are the most. Bring in fewer of them."
        )
    try:
        read = max((_parted(text, mark) for mark in "\t;,"), key=_alike)
    except csv.Error as error:
        raise ShotError(f"The table cannot be read: {error}. Check its quotes.") from error
    rows = [row for row in read if any(row)]
    if not rows:
        raise ShotError("The table has no rows. Paste some, or choose another file.")
    if len(rows) > MOST_ROWS:
        raise ShotError(
            f"The table has {len(rows):,} rows; {MOST_ROWS} are the most. Bring in fewer of them."
        )
    return rows


def _parted(text: str, mark: str) -> list[list[str]]:
    reader = csv.reader(io.StringIO(text.lstrip("\ufeff")), delimiter=mark)
    return [[cell.strip() for cell in row] for row in reader]


def _alike(rows: list[list[str]]) -> int:
    """Return how many rows have as many columns as the widest has, if that is several."""
    widest = max((len(row) for row in rows), default=0)
    return sum(len(row) == widest for row in rows) if widest > 1 else 0


def column_of(rows: list[list[str]], column: int) -> list[str]:
    """Return what a column says, counted from 1, row by row; rows that say nothing are left out.

    Raises
    ------
    ShotError
        No row has so many columns.
    """
    widest = max(len(row) for row in rows)
    if not 1 <= column <= widest:
        raise ShotError(f"The table has {widest} columns; there is no column {column}.")
    found = [row[column - 1] for row in rows if len(row) >= column and row[column - 1]]
    if not found:
        raise ShotError(f"Column {column} of the table is empty. Choose another.")
    return found
