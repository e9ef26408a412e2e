from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "sortija.server.jobs"
    label = "jobs"
