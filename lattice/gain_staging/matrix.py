"""Small matrices of gains as lists of rows, up to 64 channels wide: most entries are 0, and are passed over."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

Rows = list[list[float]]
SparseRow = dict[int, float]  # column → value; missing ones are 0
SparseRows = list[SparseRow]


def matmul(matrix: Sequence[Sequence[float]], rows: Sequence[Sequence[float]]) -> Rows:
    """Product of a matrix and rows. O(entries that are not 0 · columns)."""
    width = len(rows[0]) if rows else 0
    product = []
    for gains in matrix:
        total = [0.0] * width
        for gain, row in zip(gains, rows, strict=True):
            if gain:
                total = [old + gain * value for old, value in zip(total, row, strict=True)]
        product.append(total)
    return product


def congruence(matrix: Sequence[Sequence[float]], spread: Rows) -> Rows:
    """Matrix · spread · matrixᵀ, for a symmetric spread: a covariance behind a matrix."""
    half = matmul(matrix, spread)
    return transposed(matmul(matrix, transposed(half)))


def transposed(rows: Rows) -> Rows:
    """Columns as rows."""
    return [list(column) for column in zip(*rows, strict=True)]


def added(mine: Rows, come: Rows, scale: float) -> None:
    """Adds scale · `come` to `mine`, in place."""
    for row, values in zip(mine, come, strict=True):
        for column, value in enumerate(values):
            if value:
                row[column] += value * scale


def add_to(row: SparseRow, come: SparseRow, by: float = 1.0) -> None:
    """Adds by · `come` to a row, in place."""
    for column, value in come.items():
        row[column] = row.get(column, 0.0) + by * value


def sparse_sum(one: SparseRows, other: SparseRows, by: float = 1.0) -> SparseRows:
    """Sum one + by · other; rows that only one of them has are shared."""
    total = []
    for row, come in zip(one, other, strict=True):
        if not come:
            total.append(row)
        elif not row and by == 1.0:
            total.append(come)
        else:
            made = dict(row)
            add_to(made, come, by)
            total.append(made)
    return total


def scaled_rows(rows: SparseRows, factors: Sequence[float]) -> SparseRows:
    """Each row by a factor of its own; empty rows are shared."""
    return [
        {column: value * by for column, value in row.items()} if row else row
        for row, by in zip(rows, factors, strict=True)
    ]


def sparse_times(entries: Iterable[tuple[int, int, float]], rows: SparseRows, count: int) -> SparseRows:
    """The result for a matrix of `count` rows, given by its entries."""
    found: SparseRows = [{} for _ in range(count)]
    for row, column, by in entries:
        add_to(found[row], rows[column], by)
    return found


def zeros(rows: int, columns: int) -> Rows:
    """As many rows of zeros."""
    return [[0.0] * columns for _ in range(rows)]


def sparse(rows: Rows) -> SparseRows:
    """Rows without their zeros."""
    return [{column: value for column, value in enumerate(row) if value} for row in rows]


def quadratic(row: SparseRow, spread: SparseRows) -> float:
    """Quadratic form row · spread · rowᵀ, never below 0 by rounding."""
    total = 0.0
    for at, gain in row.items():
        for column, value in spread[at].items():
            other = row.get(column)
            if other:
                total += gain * other * value
    return max(total, 0.0)
