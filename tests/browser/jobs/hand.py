"""Does a job in the browser and counts its interactions (docs/jobs.md).

An interaction is one click, one drag, one key chord, or one field filled; a pasted block of rows counts as one. Reading
and waiting count nothing.
"""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Locator, Page, expect

from lattice.checks import Finding
from lattice.model.document import Template
from web.shelf.models import StoredTemplate
from web.shelf.workspace import Workspace, workspace

PAGE = Path(__file__).parents[3] / "docs" / "jobs.md"


class Hand:
    """One person at work on a stored template."""

    def __init__(self, page: Page, stored: StoredTemplate) -> None:
        self.page, self.pk, self.count = page, stored.pk, 0
        self.steps = self.wrong_alarms = 0

    # counted

    def click(self, where: str | Locator, **how: object) -> None:
        self.count += 1
        self.settled()
        place = self.page.locator(where).first if isinstance(where, str) else where
        place.click(**how)  # type: ignore[arg-type]

    def key(self, chord: str) -> None:
        self.count += 1
        self.page.keyboard.press(chord)

    def fill(self, where: str, text: str) -> None:
        """Fills a field and leaves it."""
        self.count += 1
        self.settled()
        self.page.fill(where, text)
        self.page.locator(where).blur()

    def pick(self, where: str, **what: str) -> None:
        self.count += 1
        self.settled()
        self.page.select_option(where, **what)  # type: ignore[arg-type]

    def find(self, name: str) -> None:
        """Type a name into the open finder, and press Enter for the first match."""
        self.count += 2
        self.page.keyboard.type(name)
        self.page.keyboard.press("Enter")

    def paste(self, text: str) -> None:
        """Pastes a block anywhere on the page."""
        self.count += 1
        self.page.evaluate(
            """text => {
              const data = new DataTransfer();
              data.setData("text/plain", text);
              const at = document.activeElement || document.body;
              at.dispatchEvent(new ClipboardEvent("paste", {clipboardData: data, bubbles: true, cancelable: true}));
            }""",
            text,
        )

    def action(self, label: str) -> None:
        """Open an action on the selected strips."""
        self.click(self.page.get_by_role("button", name=label, exact=True))
        self.settled()

    # not counted

    def settled(self) -> None:
        """Wait until the side panel shows the selection."""
        expect(self.page.locator("#panel[aria-busy=true]")).to_have_count(0)

    @property
    def version(self) -> int:
        return int(self.page.locator("#state").get_attribute("data-version") or 0)

    @property
    def space(self) -> Workspace:
        return workspace(StoredTemplate.objects.get(pk=self.pk))

    @property
    def template(self) -> Template:
        return self.space.template

    def findings(self, *severities: str) -> list[Finding]:
        """The open findings of these severities (all by default)."""
        return [one for one in self.space.open.values() if not severities or one.severity in severities]

    def wrong(self) -> dict[str, str]:
        """Fingerprint → sentence of the issues that are said to be mistakes, figures of levels and times aside."""
        wrong = (one for one in self.space.matters if one.standing == "wrong")
        return {one.fingerprint: one.message for one in wrong if not one.code.startswith(("level.", "time."))}

    def routes(self) -> list[str]:
        """All routes as “kind from>to”."""
        return [f"{route.kind} {route.from_strip}>{route.to}" for route in self.template.routes]


def counted(hand: Hand, job: str, goal: int) -> None:
    """Print the interactions of the job, and compare them with its goal and its documentation."""
    print(f"job {job}: {hand.count} interactions, goal {goal}; {hand.wrong_alarms} wrong alarms in {hand.steps} steps")
    assert hand.count <= goal
    assert hand.wrong_alarms == 0
    row = next(line for line in PAGE.read_text().splitlines() if line.startswith(f"| {job} "))
    assert [cell.strip() for cell in row.split("|")][3:6] == [str(goal), str(hand.count), str(hand.wrong_alarms)], row


def writes(hand: Hand, do: object) -> None:
    """Does something that makes an edit, and waits for its answer.

    A mistake that was said before the step, and that the step takes away, was a wrong alarm: it was about something not
    made yet.
    """
    version, before = hand.version, hand.wrong()
    do()  # type: ignore[operator]
    expect(hand.page.locator("#state")).to_have_attribute("data-version", str(version + 1))
    gone = before.keys() - hand.wrong().keys()
    hand.steps += 1
    hand.wrong_alarms += len(gone)
    for mark in gone:
        print(f"wrong alarm before step {hand.steps}: {before[mark]}")
