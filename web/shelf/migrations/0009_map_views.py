"""Folds of the map are each person's: what a template had becomes its owner's."""

from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def give_folds_to_owners(apps: Any, _schema: Any) -> None:
    templates, views = apps.get_model("shelf", "StoredTemplate"), apps.get_model("shelf", "MapView")
    views.objects.bulk_create(
        views(template=stored, user_id=stored.owner_id, folded=stored.folded)
        for stored in templates.objects.exclude(folded=None).only("owner_id", "folded")
    )


class Migration(migrations.Migration):

    dependencies = [
        ("shelf", "0008_people"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="MapView",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("folded", models.JSONField()),
                (
                    "template",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="views", to="shelf.storedtemplate"
                    ),
                ),
                (
                    "user",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="map_views",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
            ],
        ),
        migrations.AddConstraint(
            model_name="mapview",
            constraint=models.UniqueConstraint(fields=("template", "user"), name="one_view_a_person"),
        ),
        migrations.RunPython(give_folds_to_owners, migrations.RunPython.noop),
        migrations.RemoveField(model_name="storedtemplate", name="folded"),
        migrations.AddField(
            model_name="storedtemplate",
            name="remarked",
            field=models.PositiveIntegerField(default=0),
        ),
    ]
