from django.apps import AppConfig


class BulkConfig(AppConfig):
    name = "sortija.server.bulk"
    label = "bulk"
