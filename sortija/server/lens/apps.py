from django.apps import AppConfig


class LensConfig(AppConfig):
    name = "sortija.server.lens"
    label = "lens"

    def ready(self) -> None:
        from sortija.server.lens import exports, keeping  # noqa: F401 - they register
