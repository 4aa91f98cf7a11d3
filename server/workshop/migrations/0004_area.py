"""A part of the room is an area: a place is one of a machine."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("workshop", "0003_instrument_address")]

    operations = [
        migrations.RenameModel("Place", "Area"),
        migrations.RenameField("printer", "place", "area"),
        migrations.AlterModelOptions("printer", {"ordering": ["area__position", "position", "name"]}),
    ]
