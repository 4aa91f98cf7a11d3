"""Whose ringing a wall shows: what was counted is worked out again, the readings stay as they came."""

from django.db import migrations
from django.utils import timezone


def compute_again(apps, schema_editor):
    from kestov_core import CORE_VERSION, procedures
    from kestov_core.errors import BadInput

    captures = apps.get_model("measuring", "Capture").objects.filter(procedure__in=("ringing-print", "ripple-source"))
    results = apps.get_model("measuring", "Result").objects
    for capture in captures.iterator(chunk_size=200):
        first = results.filter(capture=capture).order_by("computed_at").first()
        if first is None or first.core_version == CORE_VERSION:
            continue
        context = procedures.get(capture.procedure).of_old(capture.context, first.core_version)
        try:
            found = procedures.run(capture.procedure, context).model_dump(mode="json")
        except BadInput:
            continue
        figure = found.get("frequency") or found.get("spacing") or {}
        results.create(
            capture=capture,
            core_version=CORE_VERSION,
            found=found,
            verdict=found["verdict"],
            value=figure.get("value"),
            u95=figure.get("u95"),
            unit=figure.get("unit") or "",
            computed_at=timezone.now(),
        )


class Migration(migrations.Migration):
    dependencies = [("measuring", "0004_wallpicture_storedvalue")]
    operations = [migrations.RunPython(compute_again, migrations.RunPython.noop)]
