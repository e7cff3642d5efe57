"""A trial tells what of its cost was on simulated models; the ledger's migration fills it in."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("trials", "0007_brought_in")]

    operations = [
        migrations.AddField("trial", "simulated_nano", models.PositiveBigIntegerField(default=0)),
        migrations.AddField(
            "trial", "ledgered_simulated_nano", models.PositiveBigIntegerField(default=0)
        ),
    ]
