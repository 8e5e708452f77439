"""The signed-in user: Django's backend, with our account data in the same query."""

from __future__ import annotations

from django.contrib.auth.backends import ModelBackend
from django.contrib.auth.models import User


class AccountBackend(ModelBackend):
    def get_user(self, user_id: int) -> User | None:
        found = User.objects.select_related("account").filter(pk=user_id).first()
        return found if found is not None and self.user_can_authenticate(found) else None
