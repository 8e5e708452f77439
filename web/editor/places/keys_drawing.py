"""Side-chains as pictures: who ducks whom, and the depth of each over the level of its key."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lattice.gain_staging.chain import curve_db, key_threshold_db
from lattice.model.tempo import nearest_value, note_values_ms

LEAST_OFF_MS = 0.05
MOST_ROWS = 16  # above, the table alone is readable
BOX_WIDTH, BOX_HEIGHT, ROW, GAP = 168, 22, 34, 190  # px
MOST_LINE_PX, DB_A_PX = 7.0, 3.0
WIDTH, HEIGHT, LEFT, RIGHT, TOP, FOOT = 520, 250, 40, 150, 10, 30
LOW_DB, HIGH_DB, STEP_DB, LEAST_DEPTH_DB = -60, 0, 6, 12


def who_ducks_whom(rows: Sequence[dict[str, Any]]) -> dict[str, Any] | None:
    """Triggers at the left, keyed strips at the right, a line for each key: thicker where it ducks deeper."""
    if not rows or len(rows) > MOST_ROWS:
        return None
    triggers = {row["trigger"].id: row["trigger"].name for row in rows}
    ducked = {row["strip"].id: row["strip"].name for row in rows}
    height = max(len(triggers), len(ducked)) * ROW
    left, right = (_column(names, height) for names in (triggers, ducked))
    end = BOX_WIDTH + GAP
    half = BOX_HEIGHT / 2
    lines = [
        {
            "d": f"M{BOX_WIDTH} {left[row['trigger'].id] + half}L{end} {right[row['strip'].id] + half}",
            "x2": end, "y2": right[row["strip"].id] + half, "look": "duck" if row["awake"] else "duck inactive",
            "width": _line_px(row["depth"][0]), "depth": row["depth"][0],
            "said": f"{row['trigger'].name} keys {row['insert'].title} on {row['strip'].name}",
        }
        for row in rows
    ]  # fmt: skip
    return {
        "width": end + BOX_WIDTH + 2, "height": height, "box_width": BOX_WIDTH, "box_height": BOX_HEIGHT,
        "boxes": [
            {"id": one, "name": names[one], "x": x, "y": y}
            for names, column, x in ((triggers, left, 1), (ducked, right, end))
            for one, y in column.items()
        ],
        "lines": lines,
        "said": "; ".join(line["said"] for line in lines),
    }  # fmt: skip


def _column(names: dict[str, str], height: float) -> dict[str, float]:
    """Y of each box, in the middle of the drawing."""
    top = (height - len(names) * ROW) / 2 + (ROW - BOX_HEIGHT) / 2
    return {one: top + at * ROW for at, one in enumerate(names)}


def _line_px(depth_db: float | None) -> float:
    return round(min(MOST_LINE_PX, 1.0 + (depth_db or 0.0) / DB_A_PX), 1)


def depth_curves(rows: Sequence[dict[str, Any]]) -> dict[str, Any] | None:
    """Gain reduction of each active key over the level of its key, with the expected and the worst-case level."""
    awake = [row for row in rows if row["awake"] and key_threshold_db(row["insert"]) is not None]
    if not awake or len(rows) > MOST_ROWS:
        return None
    curves = [_curve(row) for row in awake]
    deepest = max([LEAST_DEPTH_DB, *(db for curve in curves for _level, db in curve)])
    deepest = -(-deepest // STEP_DB) * STEP_DB
    wide = WIDTH - LEFT - RIGHT

    def x(level_db: float) -> float:
        inside = max(LOW_DB, min(HIGH_DB, level_db))
        return round(LEFT + (inside - LOW_DB) * wide / (HIGH_DB - LOW_DB), 1)

    def y(depth_db: float) -> float:
        return round(TOP + depth_db * (HEIGHT - TOP - FOOT) / deepest, 1)

    drawn = []
    for row, curve in zip(awake, curves, strict=True):
        dots = [
            {"x": x(level), "y": y(depth), "kind": kind}
            for level, depth, kind in zip(row["key_db"], row["depth"], ("expected", "worst"), strict=True)
            if level is not None and depth is not None
        ]
        points = " ".join(f"{x(level)},{y(depth)}" for level, depth in curve)
        words = f"{row['strip'].name} by {row['trigger'].name}"
        drawn.append({"points": points, "dots": dots, "words": words, "y": y(curve[-1][1])})
    _spread(drawn)
    return {
        "width": WIDTH, "height": HEIGHT, "left": LEFT, "right": WIDTH - RIGHT, "foot": HEIGHT - FOOT, "top": TOP,
        "curves": drawn,
        "levels": [{"x": x(db), "words": f"{db}".replace("-", "−")} for db in range(LOW_DB, HIGH_DB + 1, 12)],
        "depths": [{"y": y(db), "words": f"{db:g}"} for db in range(0, int(deepest) + 1, STEP_DB)],
    }  # fmt: skip


def _curve(row: dict[str, Any]) -> list[tuple[float, float]]:
    """Corners of the static curve: it is straight below the threshold, and above."""
    insert, threshold = row["insert"], key_threshold_db(row["insert"])
    levels = sorted({float(LOW_DB), float(HIGH_DB), min(max(threshold or 0.0, LOW_DB), HIGH_DB)})
    return [(level, curve_db(insert, threshold, level)) for level in levels]


def _spread(drawn: list[dict[str, Any]], least: float = 14) -> None:
    """Labels at the ends of curves, one below the other."""
    last = -least
    for one in sorted(drawn, key=lambda curve: curve["y"]):
        one["label_y"] = last = max(one["y"], last + least)


def _off_words(off_ms: float) -> str:
    """“23.8 ms longer”."""
    if abs(off_ms) < LEAST_OFF_MS:
        return "the same"
    return f"{abs(off_ms):.1f} ms {'longer' if off_ms > 0 else 'shorter'}"


def releases(rows: Sequence[dict[str, Any]], played: Sequence[float]) -> dict[str, Any] | None:
    """The release of each keyed insert beside the nearest note value, at each tempo that sounds."""
    inserts = {row["insert"].id: row for row in rows if row["insert"].release_ms}
    if not inserts:
        return None
    readings = []
    for row in inserts.values():
        release = row["insert"].release_ms
        near = []
        for bpm in played:
            name, exact = nearest_value(release, bpm)
            near.append({"bpm": bpm, "name": name, "exact": exact, "off": _off_words(release - exact)})
        title = f"{row['insert'].title} on {row['strip'].name}"
        readings.append({"title": title, "release": release, "near": near})
    return {"readings": readings, "values": [(bpm, note_values_ms(bpm)) for bpm in played]}
