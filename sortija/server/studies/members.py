"""Members of a study: another role, or none. There is always an owner."""

from __future__ import annotations

from typing import Any

from sortija.server.studies.actions import changing, record, reverses
from sortija.server.studies.models import HistoryEntry, Membership, Study
from sortija.server.studies.problems import Conflict, Problem

__all__ = ["change_role", "checked_role", "remove"]

_LAST = "A study has an owner. Make somebody else an owner first."


def checked_role(role: str) -> str:
    """The role, if it is one."""
    if role not in Membership.ROLES:
        raise Problem(f"A role is one of {', '.join(Membership.ROLES)}.")
    return role


def change_role(member: Membership, person: Any, role: str, expected: int) -> Membership:
    """Give a member another role.

    Raises
    ------
    Problem
        No such role, or the study would be without an owner.
    Conflict
        Somebody changed the role since it was read.
    """
    checked_role(role)
    with changing(member.study_id):
        member = _locked(member, expected)
        before = member.role
        if role == before:
            return member
        _set(member.study, member.person_id, role)
        words = f"Made {member.person.username} {'an' if role[0] in 'aeiou' else 'a'} {role}"
        target = f"member:{member.person_id}"
        record(member.study, person, "member", words, target, before, role)
    member.refresh_from_db()
    return member


def remove(member: Membership, person: Any, expected: int) -> None:
    """Let a member go: the study is none of theirs any more."""
    with changing(member.study_id):
        member = _locked(member, expected)
        _set(member.study, member.person_id, None)
        left = member.person == person
        words = f"{member.person.username} left" if left else f"Removed {member.person.username}"
        target = f"member:{member.person_id}"
        record(member.study, person, "member", words, target, member.role, None)


def _locked(member: Membership, expected: int) -> Membership:
    """The member as it is now, unless somebody changed it since."""
    now = Membership.objects.select_related("person", "study").filter(pk=member.pk).first()
    if now is None or now.revision != expected:
        raise Conflict(
            f"The role of {member.person.username} was changed since you loaded this page."
        )
    return now


def _set(study: Study, person: int, role: str | None) -> None:
    """Give a person this role, or none, in a study that keeps an owner."""
    row = Membership.objects.filter(study=study, person=person).first()
    if role is None:
        Membership.objects.filter(study=study, person=person).delete()
    elif row is None:
        Membership.objects.create(study=study, person_id=person, role=role)
    else:
        row.role, row.revision = role, row.revision + 1
        row.save(update_fields=["role", "revision"])
    if not Membership.objects.filter(study=study, role="owner").exists():
        raise Problem(_LAST)


@reverses("member")
def _reverse(entry: HistoryEntry, forward: bool) -> None:
    there, wanted = (entry.before, entry.after) if forward else (entry.after, entry.before)
    person = int(entry.target.removeprefix("member:"))
    row = Membership.objects.filter(study=entry.study, person=person).first()
    if (row.role if row else None) != there:
        raise Conflict("The role was changed since, so it stays as it is.")
    if not Membership.objects.filter(study=entry.study, person=entry.person, role="owner").exists():
        raise Problem("Only an owner changes who works on a study.", 403)
    _set(entry.study, person, wanted)
