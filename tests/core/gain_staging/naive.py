"""Levels source by source, as docs/reference/checks.md defines them: c, d and P of every signal at every stage, in NumPy.

Slow and plain, and none of the core's code: layouts and pans are tests/core/layouts_by_hand.py.
"""

from __future__ import annotations

import math
from collections import defaultdict
from typing import Any

import numpy as np

from lattice.model.document import Insert, Strip, Template
from tests.core.layouts_by_hand import balanced, by_numbers, count_of, mapped, panned, spread

USUAL = (-6.0, -18.0)


def lin(level_db: float | None) -> float:
    return 0.0 if level_db is None else 10 ** (level_db / 20)


def power_db(value: float) -> float:
    return 10 * math.log10(value) if value > 0 else -math.inf


class Stage:
    """Per signal: c for E, d² for E, the same for Q, and P; each an array channels × signals."""

    def __init__(self, channels: int, signals: int) -> None:
        self.ce, self.de, self.cq, self.dq, self.p = (np.zeros((channels, signals)) for _ in range(5))

    def mapped(self, matrix: Any, gain: float = 1.0, unity: bool = False) -> Stage:
        made, m = Stage(0, 0), np.array(matrix) * gain
        made.ce, made.cq, made.de, made.dq = m @ self.ce, m @ self.cq, m**2 @ self.de, m**2 @ self.dq
        made.p = (np.array(matrix) != 0) @ self.p if unity else np.abs(m) @ self.p
        return made

    def plus(self, other: Stage) -> Stage:
        made = Stage(0, 0)
        for name in ("ce", "de", "cq", "dq", "p"):
            setattr(made, name, getattr(self, name) + getattr(other, name))
        return made


class Naive:
    def __init__(self, template: Template) -> None:
        self.template = template
        self.signals: list[tuple[str, str | None, int]] = []
        self.peaks: list[float] = []
        self.rms: list[float] = []
        self.fed = {r.to for r in template.routes if r.kind in ("feed", "send", "tie")}
        for strip in template.strips:
            if self.plays(strip):
                self._number(strip, None, strip.layout)
            for outlet in strip.outlets[1:]:
                if strip.source is not None and outlet.open:
                    self._number(strip, outlet.id, outlet.layout)
        self.arriving: dict[str, Stage] = {}
        self.stages: dict[str, list[Stage]] = {}
        self.post: dict[str, Stage] = {}
        self.keys: dict[str, Stage] = {}
        self.reduction: dict[str, float] = defaultdict(float)
        self.pushed: dict[str, float] = defaultdict(float)
        for strip in template.strips:  # routes run forward
            self._strip(strip)

    def plays(self, strip: Strip) -> bool:
        passes = strip.kind == "audio" and strip.id in self.fed and strip.monitor == "always"
        passes |= strip.kind == "input" and strip.id in self.fed  # by a tie: nothing else may end at an input
        return strip.kind in ("audio", "instrument", "input") and strip.source is not None and not passes

    def _number(self, strip: Strip, outlet: str | None, layout: str) -> None:
        stated = outlet is None and strip.source
        peak, rms = (strip.source.peak_dbfs, strip.source.rms_dbfs) if stated else USUAL  # type: ignore[union-attr]
        for channel in range(count_of(layout)):
            self.signals.append((strip.id, outlet, channel))
            self.peaks.append(lin(peak))
            self.rms.append(lin(rms))

    def played(self, strip: str, outlet: str | None, layout: str) -> Stage:
        stage = Stage(count_of(layout), len(self.signals))
        for column, signal in enumerate(self.signals):
            if signal[:2] == (strip, outlet):
                stage.ce[signal[2], column] = stage.cq[signal[2], column] = 1
                stage.p[signal[2], column] = self.peaks[column]
        return stage

    def totals(self, stage: Stage) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """(P, Q, E) by channel, amplitudes."""
        q = np.sqrt((stage.cq**2 + stage.dq) @ np.array(self.peaks) ** 2)
        e = np.sqrt((stage.ce**2 + stage.de) @ np.array(self.rms) ** 2)
        return stage.p.sum(axis=1), q, e

    def _strip(self, strip: Strip) -> None:
        now = self.arriving.get(strip.id)
        if self.plays(strip):
            own = self.played(strip.id, None, strip.layout)
            now = own if now is None else now.plus(own)
        if now is not None:
            if strip.invert:
                now.ce, now.cq = -now.ce, -now.cq
            self.stages[strip.id] = [now]
            layout = strip.layout
            for insert in strip.inserts:
                now, layout = self._insert(insert, layout, now)
                self.stages[strip.id].append(now)
            if strip.fader_db is not None and not strip.mute:
                balance = np.eye(count_of(layout))
                if layout == "stereo":
                    balance = balanced(strip.pan)
                self.post[strip.id] = now.mapped(balance, lin(strip.fader_db))
        for route in self.template.routes:
            if route.from_strip == strip.id and route.enabled and route.gain_db is not None:
                self._route(strip, route)

    def _insert(self, insert: Insert, layout: str, now: Stage) -> tuple[Stage, str]:
        taken = insert.layout_in or layout
        given = insert.layout_out or taken
        if taken != layout:
            now = now.mapped(mapped(layout, taken))
        if given != taken:
            spreads = insert.type == "panner" and insert.state == "on"
            now = now.mapped((spread if spreads else mapped)(taken, given), unity=spreads)
        if insert.state == "on":
            now = self._working(insert, now)
        return now, given

    def _working(self, insert: Insert, now: Stage) -> Stage:
        g, w = lin(insert.gain_db), insert.wet
        made = Stage(0, 0)
        if insert.type in ("reverb", "delay", "modulation"):
            f = insert.feedback if insert.type == "delay" else 0.0
            power, peak = g / math.sqrt(1 - f * f), g / (1 - f)
            made.ce, made.cq = (1 - w) * now.ce, (1 - w) * now.cq
            made.de = (1 - w) ** 2 * now.de + (w * power) ** 2 * (now.ce**2 + now.de)
            made.dq = (1 - w) ** 2 * now.dq + (w * power) ** 2 * (now.cq**2 + now.dq)
            made.p = now.p * (1 - w + w * peak)
            return made
        p, q, e = self.totals(now)
        fp = fq = fe = np.full(len(p), 1 - w + w * g)
        if insert.type == "compressor" and insert.key != "external" and None not in (insert.threshold_db, insert.ratio):
            over = power_db(max(e) ** 2) - insert.threshold_db  # type: ignore[operator]
            if over > 0:
                slope = 0 if insert.ratio >= 100 else 1 / insert.ratio  # type: ignore[operator]
                self.reduction[insert.id] = over - over * slope
                fe = np.full(len(p), 1 - w + w * lin(insert.gain_db - self.reduction[insert.id]))
        if insert.type in ("limiter", "clipper", "saturator") and insert.ceiling_db is not None:
            top = lin(insert.ceiling_db)
            fp, fq, fe = (
                np.array([1 - w + w * (min(x * g, top) / x if x else g) for x in levels]) for levels in (p, q, e)
            )
            self.pushed[insert.id] = max(0.0, power_db(max(p) ** 2) + insert.gain_db - insert.ceiling_db)
        made.ce, made.de, made.p = now.ce * fe[:, None], now.de * fe[:, None] ** 2, now.p * fp[:, None]
        made.cq, made.dq = now.cq * fq[:, None], now.dq * fq[:, None] ** 2
        return made

    def _route(self, strip: Strip, route: Any) -> None:
        head = next(other for other in self.template.strips if other.id == route.to)
        side = route.from_outlet is not None and route.from_outlet != strip.outlets[0].id
        if side:
            layout = next(o for o in strip.outlets if o.id == route.from_outlet).layout
            start = self.played(strip.id, route.from_outlet, layout)
        else:
            layout = strip.layout
            if strip.id not in self.stages or (strip.kind == "print" and strip.monitor != "always"):
                return
            if route.tap != "pre-insert":
                for insert in strip.inserts:
                    layout = insert.layout_out or insert.layout_in or layout
            found = {"pre-insert": self.stages[strip.id][0], "pre-fader": self.stages[strip.id][-1]}
            tapped = found.get(route.tap, self.post.get(strip.id))
            if tapped is None:
                return
            start = tapped
        if route.kind == "key":
            insert = next(i for i in head.inserts if i.id == route.to_insert)
            rows = count_of(self._layout_at(head, insert))
            come = start.mapped(np.eye(rows, count_of(layout)), lin(route.gain_db))
            self.keys[insert.id] = self.keys[insert.id].plus(come) if insert.id in self.keys else come
            return
        if head.kind == "audio" and head.monitor != "always":
            return
        if route.channels is not None:
            matrix = by_numbers(layout, head.layout, route.channels)
        else:
            own_pan = route.kind == "feed" and route.tap == "post-fader" and route.from_outlet is None
            left, right = panned(strip.pan if own_pan else route.pan, self.template.pan_law_db)
            matrix = mapped(layout, head.layout, left, right)
        come = start.mapped(matrix, lin(route.gain_db))
        self.arriving[head.id] = self.arriving[head.id].plus(come) if head.id in self.arriving else come

    def _layout_at(self, strip: Strip, wanted: Insert) -> str:
        layout = strip.layout
        for insert in strip.inserts:
            if insert.id == wanted.id:
                return insert.layout_in or layout
            layout = insert.layout_out or insert.layout_in or layout
        raise KeyError(wanted.id)
