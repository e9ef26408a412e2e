from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "sortija.server.accounts"
    label = "accounts"

    def ready(self) -> None:
        from sortija.server.accounts import sessions

        sessions.follow_sign_ins()
