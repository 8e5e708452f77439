"""`manage.py demo`: the demo's person and templates, made once; prints how to get in."""

from __future__ import annotations

import secrets
from typing import Any

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandParser
from django.urls import reverse
from sesame.utils import get_token

from lattice.generate import generate
from web.accounts.names import name_of
from web.bench.demo import with_readings
from web.reuse.demo import with_parts
from web.revisions.demo import second_studio, with_history
from web.sharing.demo import with_people
from web.shelf import services
from web.shelf.access import shelf_of
from web.shelf.demo import night_ferry
from web.shelf.demo.podcast import podcast

# user name → first name, last name: the owner, the editor and the viewer of Night Ferry
PEOPLE = {"strand": ("I.", "Strand"), "quay": ("M.", "Quay"), "lock": ("H.", "Lock")}


class Command(BaseCommand):
    help = "Creates the accounts and templates of the demo where they are missing, and prints sign-in links."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--address", default="http://127.0.0.1:8000")
        parser.add_argument("--large", type=int, help="also create a generated template with this number of strips")

    def handle(self, *args: Any, **options: Any) -> None:
        user, second, viewer = (_person(name) for name in PEOPLE)
        names = {stored.name for stored in shelf_of(user)}
        large = [generate(options["large"])] if options["large"] else []
        for template in (*large, podcast()):
            if template.name not in names:
                services.store(user, template)
        clean = night_ferry.clean()
        if clean.name not in names:
            stored = services.store(user, clean)
            with_parts(user, stored)
            with_readings(stored)
        if "Night Ferry" not in names:
            ferry = with_history(user, second)
            with_people(ferry, shelf_of(user).get(name=podcast().name), second, viewer)
            services.keep_inventory(user, second_studio())
        address = options["address"]
        self.stdout.write(f"\nIntact Lattice runs at {address}\nOpen it, signed in, each link once:")
        for person, role in ((user, "owner"), (second, "editor"), (viewer, "viewer")):
            link = f"{address}{reverse('sign-in-link', args=[get_token(person)])}"
            self.stdout.write(f"  {name_of(person)}, {role}: {link}")


def _person(name: str) -> User:
    first, last = PEOPLE[name]
    person, is_new = User.objects.get_or_create(username=name, defaults={"first_name": first, "last_name": last})
    if is_new:
        person.set_password(secrets.token_urlsafe(24))  # the link gives access
        person.save()
    return person
