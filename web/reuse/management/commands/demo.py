"""`manage.py demo`: the demo's person and templates, made once; prints how to get in."""

from __future__ import annotations

import secrets
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand, CommandParser

from lattice.generate import generate
from web.accounts.links import token_for
from web.bench.demo import with_readings
from web.reuse.demo import with_parts
from web.revisions.demo import second_studio, with_history
from web.shelf import services
from web.shelf.demo import night_ferry
from web.shelf.demo.podcast import podcast

PERSON = "demo"


class Command(BaseCommand):
    help = "Makes the demo's person and templates where they are missing, and prints the sign-in link."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--address", default="http://127.0.0.1:8000")
        parser.add_argument("--large", type=int, help="also make a generated template of so many strips")

    def handle(self, *args: Any, **options: Any) -> None:
        user, is_new = get_user_model().objects.get_or_create(username=PERSON)
        if is_new:
            user.set_password(secrets.token_urlsafe(24))  # the link is the way in
            user.save()
        names = {stored.name for stored in services.of_owner(user)}
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
            with_history(user)
            services.keep_inventory(user, second_studio())
        address = options["address"]
        self.stdout.write(
            f"\nIntact Lattice runs at {address}\nOpen it, signed in: {address}/sign-in/{token_for(user.pk)}/\n"
        )
