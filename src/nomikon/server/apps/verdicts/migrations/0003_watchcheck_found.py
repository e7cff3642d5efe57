"""A check of a watch keeps what it found."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("verdicts", "0002_watches")]

    operations = [migrations.AddField("watchcheck", "found", models.JSONField(null=True))]
