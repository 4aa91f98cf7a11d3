"""Parts of machines that are there are called as the knowledge names them, and those that were not listed before are added."""

from django.db import migrations

#: What a kind was called before; what is not here keeps its name.
_CALLED = {"drive_pulley": "pulley", "mount": "head_mount"}


def _name_them(apps, schema_editor):
    from kestov_core.condition.components import positions
    from kestov_core.machine import Description

    printers = apps.get_model("workshop", "Printer")
    components = apps.get_model("workshop", "Component")
    for printer in printers.objects.select_related("model"):
        wanted = {(p.kind.id, p.place): p.label for p in positions(Description.model_validate(printer.model.description))}
        held = set()
        for c in components.objects.filter(printer=printer, removed_on=None):
            kind = _CALLED.get(c.kind, c.kind)
            label = wanted.get((kind, c.place))
            if label is None or (kind, c.place) in held:
                # No part of this machine by its description: it was listed for all alike.
                c.delete()
                continue
            held.add((kind, c.place))
            c.kind, c.label = kind, label
            c.save()
        components.objects.bulk_create(
            components(printer=printer, place=place, kind=kind, label=label, fitted_on=printer.in_use_since)
            for (kind, place), label in wanted.items()
            if (kind, place) not in held
        )


class Migration(migrations.Migration):
    dependencies = [("workshop", "0009_parts_deeds_meters")]

    operations = [migrations.RunPython(_name_them, migrations.RunPython.noop)]
