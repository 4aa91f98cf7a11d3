"""Actions come here from the cases, with their table; standings are new, and made from what there is."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("cases", "0005_sibling_look"),
        ("measuring", "0005_whose_ringing"),
        ("workshop", "0004_area"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[
                migrations.RunSQL(
                    "ALTER TABLE cases_action RENAME TO measuring_action",
                    "ALTER TABLE measuring_action RENAME TO cases_action",
                )
            ],
            state_operations=[
                migrations.CreateModel(
                    name="Action",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("place", models.CharField(max_length=5)),
                        ("kind", models.CharField(default="turn_tensioner", max_length=30)),
                        ("turns", models.FloatField(null=True)),
                        ("unit", models.CharField(default="turns", max_length=8)),
                        ("direction", models.CharField(blank=True, max_length=14)),
                        ("advised", models.FloatField(null=True)),
                        ("round", models.PositiveSmallIntegerField(default=1)),
                        ("fault", models.CharField(blank=True, max_length=40)),
                        ("helped", models.BooleanField(null=True)),
                        ("note", models.CharField(blank=True, max_length=300)),
                        ("at", models.DateTimeField()),
                        ("by", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to=settings.AUTH_USER_MODEL)),
                        ("case", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="actions", to="cases.case")),
                        ("printer", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="actions", to="workshop.printer")),
                    ],
                    options={"ordering": ["at", "id"]},
                ),
            ],
        ),
        migrations.CreateModel(
            name="Standing",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("place", models.CharField(max_length=5)),
                ("procedure", models.CharField(max_length=40)),
                ("taken_at", models.DateTimeField()),
                ("verdict", models.CharField(max_length=20)),
                ("words", models.CharField(blank=True, max_length=120)),
                ("value", models.FloatField(null=True)),
                ("u95", models.FloatField(null=True)),
                ("unit", models.CharField(blank=True, max_length=12)),
                ("low", models.FloatField(null=True)),
                ("high", models.FloatField(null=True)),
                ("source", models.CharField(blank=True, max_length=12)),
                ("lost", models.PositiveSmallIntegerField(default=0)),
                ("doubt", models.CharField(blank=True, max_length=160)),
                ("doubt_at", models.DateTimeField(null=True)),
                ("capture", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="+", to="measuring.capture")),
                ("printer", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="standings", to="workshop.printer")),
            ],
            options={
                "ordering": ["place", "procedure"],
                "constraints": [models.UniqueConstraint(fields=("printer", "place", "procedure"), name="standing_once")],
            },
        ),
    ]
