"""Files count on who began to send them; of lots from before that is the template's owner."""

from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

LOTS = {"programme": "template", "reading": "kit__template", "tonerun": "template"}  # and the way to their template


def were_owners(apps: Any, _schema: Any) -> None:
    for name, template in LOTS.items():
        lots = apps.get_model("bench", name).objects
        for number, owner in lots.values_list("pk", f"{template}__owner"):
            lots.filter(pk=number).update(by=owner)


def began_by(name: str) -> migrations.AddField:
    who = models.ForeignKey(
        null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to=settings.AUTH_USER_MODEL
    )
    return migrations.AddField(model_name=name, name="by", field=who)


class Migration(migrations.Migration):

    dependencies = [
        ("bench", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [*map(began_by, LOTS), migrations.RunPython(were_owners, migrations.RunPython.noop)]
