from django.apps import AppConfig


class AccountsConfig(AppConfig):
    name = "sortija.server.accounts"
    label = "accounts"
