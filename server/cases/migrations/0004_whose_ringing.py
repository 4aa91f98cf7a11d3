"""Echoes were placed at the way their wall runs; what rings is the axis across it."""

from django.db import migrations
from django.db.models import Case, F, Value, When
from django.db.models.functions import Concat, Upper


def across(apps, schema_editor):
    rows = apps.get_model("cases", "Observation").objects.filter(finding="echoes_after_corners", axis__in=("x", "y"))
    rows.filter(note="").update(note=Concat(Value("on the wall along "), Upper(F("axis"))))
    rows.update(axis=Case(When(axis="x", then=Value("y")), default=Value("x")))


class Migration(migrations.Migration):
    dependencies = [("cases", "0003_weighing")]
    operations = [migrations.RunPython(across, across)]
