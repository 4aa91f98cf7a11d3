"""What is turned and mended belongs to the measuring of a machine: the table is kept, its home is another."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("cases", "0005_sibling_look"), ("measuring", "0006_action_standing")]

    operations = [migrations.SeparateDatabaseAndState(state_operations=[migrations.DeleteModel("Action")])]
