"""``load_demo``: bring Marrowmere in by the door that every upload takes."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from sortija.demo.files import write_demo
from sortija.server.accounts.models import Person
from sortija.server.jobs import work
from sortija.server.jobs.models import Job
from sortija.server.ledger.intake.actions import change_mapping, count_intake, review
from sortija.server.ledger.intake.uploads import take_file
from sortija.server.studies.actions import start_study
from sortija.server.studies.models import Study

NAME = "Marrowmere Garden Co-op"


class Command(BaseCommand):
    help = "Bring the Marrowmere demo in, unless it is there already."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--person", default="analyst")
        parser.add_argument("--members", type=int, default=6000)

    def handle(self, *args: Any, **options: Any) -> None:
        person, made = Person.objects.get_or_create(username=options["person"])
        if made:
            person.set_unusable_password()
            person.save()
        study = Study.objects.filter(name=NAME, members__person=person).first()
        if study is None:
            study = start_study(person, NAME)
        done = set(study.intakes.values_list("original__name", flat=True))
        if {"log.csv", "members.csv"} <= done:
            return
        demo = write_demo(settings.DATA / "demo", options["members"])
        for path in (demo.log, demo.members, demo.responses, demo.offers, demo.districts):
            if path.name not in done:
                intake = review(study, person, take_file(study, path))
                if path == demo.log:  # in a large demo the first rows do not tell days from months
                    intake = change_mapping(intake, {**intake.mapping, "month_first": False})
                self._count(count_intake(intake, person))
        self.stdout.write(f"{NAME} is in.")

    def _count(self, job: Job) -> None:
        """Do the job here and now: no worker runs yet."""
        work.run(job.pk, job.attempt)
        job.refresh_from_db()
        if job.state != Job.DONE:
            raise CommandError(f"The demo did not come in: {job.error or job.state}")
