"""``sign_in_link NAME``: a one-time link, good for 15 minutes."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser

from sortija.server.accounts.models import Person, SignInLink


class Command(BaseCommand):
    help = "Print a one-time sign-in link for a person, who is made if need be."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        person, made = Person.objects.get_or_create(username=options["name"])
        if made:
            person.set_unusable_password()
            person.save()
        _, token = SignInLink.make(person)
        self.stdout.write(f"{settings.SORTIJA_URL}/join#{token}")
