"""A search may draw orders in which the amendments are taken."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("culprits", "0001_initial")]

    operations = [
        migrations.AddField("culpritsearch", "orders", models.JSONField(default=list)),
    ]
