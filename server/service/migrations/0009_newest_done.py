from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("service", "0008_calendar_address")]

    operations = [
        migrations.AddField(model_name="done", name="newest", field=models.BooleanField(default=False)),
        migrations.RunSQL(
            """update service_done set newest = true where id in (
                 select distinct on (printer_id, task) id from service_done order by printer_id, task, at desc, id desc)""",
            "",
        ),
        migrations.AlterField(model_name="done", name="newest", field=models.BooleanField(default=True)),
        migrations.AddConstraint(
            model_name="done",
            constraint=models.UniqueConstraint(
                condition=models.Q(("newest", True)), fields=("printer", "task"), name="one_newest"
            ),
        ),
    ]
