"""The demo's history: three sealed revisions of Night Ferry, the newest released; a second studio."""

from __future__ import annotations

from django.contrib.auth.models import User
from msgspec.structs import replace

from lattice.changes.digests import section_digests
from lattice.model.document import Template
from lattice.model.inventory import Inventory, PlugIn, inventory_of
from web.people.roles import Role
from web.revisions import services as revisions
from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.models import Share, StoredTemplate

LACKING = {"Echo", "Linear eq"}  # plug-ins that the second studio does not have
OLDER = {"Hall": "3.0"}


def with_history(user: User, second: User) -> StoredTemplate:
    """Night Ferry with its revisions, approved by a second person, and the current version with later edits."""
    (first, note), *later = night_ferry.sealed()
    stored = services.store(user, first)
    Share.objects.create(template=stored, user=second, role=Role.EDITOR, by=user)
    made = revisions.seal(stored.pk, user, stored.version, note)
    for template, note in later:
        stored = _became(stored, user, template, note)
        made = revisions.seal(stored.pk, user, stored.version, note)
    for section, digest in section_digests(revisions.content(made)).items():
        revisions.tick(stored.pk, second, section, digest)
    revisions.sign(made.pk, user)
    stored = _became(stored, user, night_ferry.in_work(), "A week on the job")
    services.tidy(stored)
    return stored


def _became(stored: StoredTemplate, user: User, template: Template, label: str) -> StoredTemplate:
    return services.change(stored.pk, user, stored.version, label, lambda _before: template)


def second_studio() -> Inventory:
    """The machines of the other studio: most of the requirements of Night Ferry."""
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
