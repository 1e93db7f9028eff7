from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('holds', '0002_settling'),
    ]

    operations = [
        migrations.AddField(
            model_name='hold',
            name='trying',
            field=models.CharField(blank=True, help_text='The surface that is tried, before one is chosen.', max_length=12),
        ),
    ]
