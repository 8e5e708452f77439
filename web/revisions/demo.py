"""The demo's history: three sealed revisions of Night Ferry, the newest released; a second studio; parts of it."""

from __future__ import annotations

from django.contrib.auth.models import User
from msgspec.structs import replace

from lattice.changes.digests import section_digests
from lattice.edits.cutting_down import cut_down
from lattice.edits.taking_out import taken_out
from lattice.model.document import Template
from lattice.model.inventory import Inventory, PlugIn, inventory_of
from web.reuse.making import as_variant
from web.reuse.services import keep_block
from web.revisions import services as revisions
from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.models import StoredTemplate
from web.shelf.workspace import workspace

ENGINEER, SECOND = "I. Strand", "M. Quay"
LACKING = {"Echo", "Linear eq"}  # plug-ins that the second studio does not have
NARRATION_ALONE = "Night Ferry, narration alone"
OLDER = {"Hall": "3.0"}


def with_history(user: User) -> StoredTemplate:
    """Night Ferry with its revisions, and the present state with what was done to it since."""
    (first, note), *later = night_ferry.sealed()
    stored = services.store(user, first)
    made = revisions.seal(stored.pk, user, stored.version, note, ENGINEER)
    for template, note in later:
        stored = _became(stored, user, template, note)
        made = revisions.seal(stored.pk, user, stored.version, note, ENGINEER)
    for section, digest in section_digests(revisions.content(made)).items():
        revisions.tick(stored.pk, user, section, digest, SECOND)
    revisions.sign(made.pk, user, ENGINEER)
    stored = _became(stored, user, night_ferry.in_work(), "A week on the job")
    services.redraw(stored, slots=b"")  # as if it were drawn for the first time
    return stored


PARTS = (
    (
        "ensemble",
        "Glass and tide",
        "Glass players, their sampler and the tide synth; open at bus and hall.",
    ),
    ("choir", "Choir", "Four voices on a machine of their own; set the tie's channels where it is put in."),
)


def with_parts(user: User, stored: StoredTemplate) -> None:
    """Two sections of the clean revision as blocks, and the narration alone as a variant of it."""
    template = workspace(stored).template
    for section, name, note in PARTS:
        strips = [strip.id for strip in template.strips if strip.section == section]
        keep_block(user, taken_out(template, strips, name, note))
    services.store_variant(stored, user, as_variant(cut_down(template, sections=["narration"]), NARRATION_ALONE))


def _became(stored: StoredTemplate, user: User, template: Template, label: str) -> StoredTemplate:
    return services.change(stored.pk, user, stored.version, label, lambda _before: template)


def second_studio() -> Inventory:
    """What the other house has: most of what Night Ferry asks for."""
    template = night_ferry.in_work()
    wanted = inventory_of(template, template.machines[0])
    has = tuple(
        PlugIn(name=one.name, maker=one.maker, version=OLDER.get(one.name, one.version))
        for one in wanted.plugins
        if one.name not in LACKING
    )
    return replace(
        wanted, name="Second studio", machine=None, plugins=has, input_names={"7": "Tide L", "8": "Tide synth R"}
    )
