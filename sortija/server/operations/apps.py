from django.apps import AppConfig


class OperationsConfig(AppConfig):
    name = "sortija.server.operations"
    label = "operations"
