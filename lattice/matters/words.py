"""Sentences of matters."""

from __future__ import annotations

from collections.abc import Sequence

from lattice.analysis import Analysis
from lattice.checks.finding import Finding
from lattice.checks.registry import EXPLANATIONS, issue_kind

VERB = {"feed": "feeds", "send": "sends to", "tie": "is tied to", "key": "keys", "midi": "plays"}


class Words:
    """Sentences of the issues of one template; names are looked up once."""

    def __init__(self, analysis: Analysis) -> None:
        self.analysis, self.graph, template = analysis, analysis.graph, analysis.template
        self._named: dict[str, str] = {rule.id: f"rule {rule.name}" for rule in template.rules}
        self._named |= {machine.id: f"on {machine.name}" for machine in template.machines}
        self._sections = {section.id: f"in {section.name}" for section in template.sections}

    def _called(self, one: str, otherwise: str) -> str:
        """The name of a strip, section, insert, machine or rule."""
        strips = self.graph.strips
        if one in self.graph.index:
            return strips[self.graph.index[one]].name
        if one in self._sections:
            return self._sections[one]
        if one in self.graph.insert_at:
            strip, place = self.graph.insert_at[one]
            insert = strips[strip].inserts[place]
            return f"{insert.title} on {strips[strip].name}"
        return self._named.get(one, otherwise)

    def sentence(self, code: str, cause: tuple[str, ...], findings: Sequence[Finding]) -> str:
        """The sentence of an issue.

        Parameters
        ----------
        code, cause
            Of the matter.
        findings
            Its own findings.

        Returns
        -------
        str
            One finding's own sentence; of several, a plural with the cause: “19 sources reach Return 0 by two paths:
            Bus 0 sends to it too”.
        """
        kind = issue_kind(findings[0])
        if kind is not None:
            return kind.sentence(self.analysis, findings)
        if len(findings) == 1:
            return findings[0].message
        place = self._place(findings)
        many = EXPLANATIONS[code].many.format(n=len(findings), place=place)
        said = {finding.because for finding in findings}
        why = said.pop() if len(said) == 1 else ""
        why = why or "; ".join(filter(None, (self._in_words(one, place) for one in cause)))
        return f"{many}: {why}" if why else many

    def _place(self, findings: Sequence[Finding]) -> str:
        """The strip that all of them are at: the second one they name, where it is the same."""
        second = {finding.strips[1] for finding in findings if len(finding.strips) > 1}
        return self._called(second.pop(), "one strip") if len(second) == 1 else f"{len(second)} strips"

    def _in_words(self, one: str, place: str) -> str:
        """An id of a cause as text; unchanged if it is a word already (a type, a product)."""
        number = self.graph.route_index.get(one)
        if number is None:
            return self._called(one, one)
        graph = self.graph
        head = self.analysis.name(graph.head[number])
        end = "it too" if head == place else head
        return f"{self.analysis.name(graph.tail[number])} {VERB[graph.routes[number].kind]} {end}"
