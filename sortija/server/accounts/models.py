"""People who may sign in, and the links by which they first do."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.utils import timezone

__all__ = ["Person", "SignInLink", "SignInPause", "SignedIn"]

LINK_LIFE = timedelta(minutes=15)
INVITATION_LIFE = timedelta(days=7)


class Person(AbstractUser):
    """Somebody with an account; ``username`` is what they sign in with."""

    @property
    def initials(self) -> str:
        words = (self.get_full_name() or self.username).replace(".", " ").split()
        return "".join(word[0] for word in words[:2]).upper()


class SignInPause(models.Model):
    """Wrong passwords of a name from an address, by a digest of both, and until when to wait."""

    key = models.CharField(max_length=64, unique=True)
    failures = models.PositiveIntegerField(default=0)
    until = models.DateTimeField()


class SignedIn(models.Model):
    """One sign-in that lasts: where from, with which browser, and when it was last used."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="sign_ins")
    session = models.CharField(max_length=40, unique=True)
    address = models.CharField(max_length=64, blank=True)
    browser = models.CharField(max_length=200, blank=True)
    began_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(default=timezone.now)


class SignInLink(models.Model):
    """A single-use link. Only the hash of its 32 random bytes is kept.

    ``made_by``: who invites, for a link that names a study.
    """

    token_hash = models.CharField(max_length=64, unique=True)
    person = models.ForeignKey(Person, on_delete=models.CASCADE, null=True)
    made_by = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True, related_name="+")
    study = models.BigIntegerField(null=True)
    role = models.CharField(max_length=10, blank=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)

    @staticmethod
    def hash_of(token: str) -> str:
        return hashlib.sha256(token.encode()).hexdigest()

    @classmethod
    def make(
        cls,
        person: Person | None = None,
        study: int | None = None,
        role: str = "",
        made_by: Person | None = None,
    ) -> tuple[SignInLink, str]:
        """A new link and its token, which is nowhere kept. Invitations name study and role."""
        token = secrets.token_urlsafe(32)
        life = INVITATION_LIFE if study else LINK_LIFE
        link = cls.objects.create(
            token_hash=cls.hash_of(token),
            person=person,
            made_by=made_by,
            study=study,
            role=role,
            expires_at=timezone.now() + life,
        )
        return link, token

    @classmethod
    def find(cls, token: str) -> SignInLink | None:
        """The link of this token if it can still be used."""
        return cls.objects.filter(
            token_hash=cls.hash_of(token), used_at=None, expires_at__gt=timezone.now()
        ).first()
