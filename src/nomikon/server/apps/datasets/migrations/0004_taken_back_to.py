"""What one press takes back is not only an import."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("datasets", "0003_identity")]

    operations = [
        migrations.RenameField("datasetversion", "imported", "taken_back_to"),
    ]
