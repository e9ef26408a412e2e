from django.apps import AppConfig


class LensConfig(AppConfig):
    name = "sortija.server.lens"
    label = "lens"
