"""Who works on a study: members, their roles, and invitations."""

from __future__ import annotations

from django.http import Http404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from pydantic import BaseModel
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from sortija.server.accounts.models import INVITATION_LIFE, Person, SignInLink
from sortija.server.studies import members
from sortija.server.studies.actions import study_for
from sortija.server.studies.http import REVISION, body, expected_revision, reply
from sortija.server.studies.models import Membership, Study
from sortija.server.studies.problems import Problem


class MemberRow(BaseModel):
    """``own``: the one who asks."""

    id: int
    name: str
    initials: str
    role: str
    revision: int
    own: bool


class InvitationRow(BaseModel):
    """An invitation that nobody has accepted yet; ``by``: who made it."""

    id: int
    role: str
    by: str
    until: str


class MembersPage(BaseModel):
    members: list[MemberRow]
    invitations: list[InvitationRow]


class RoleChange(BaseModel):
    role: str


class Invitation(BaseModel):
    """The path of a link for a colleague; it is shown once and works once."""

    path: str
    role: str
    days: int


def _row(member: Membership, asks: object) -> MemberRow:
    person = member.person
    return MemberRow(
        id=member.pk, name=person.username, initials=person.initials, role=member.role,
        revision=member.revision, own=person == asks,
    )  # fmt: skip


def _open_invitations(study: Study) -> list[InvitationRow]:
    rows = SignInLink.objects.filter(study=study.pk, used_at=None, expires_at__gt=timezone.now())
    return [
        InvitationRow(
            id=row.pk, role=row.role, by=row.made_by.username if row.made_by else "",
            until=row.expires_at.isoformat(),
        )
        for row in rows.select_related("made_by").order_by("expires_at")
    ]  # fmt: skip


class Members(APIView):
    @extend_schema(responses=MembersPage)
    def get(self, request: Request, study: int) -> Response:
        """Who works on the study, and the open invitations."""
        found = study_for(request.user, study)
        rows = found.members.select_related("person").order_by("person__username")
        mine = [_row(member, request.user) for member in rows]
        owner = any(row.own and row.role == "owner" for row in mine)
        open_ones = _open_invitations(found) if owner else []
        return reply(MembersPage(members=mine, invitations=open_ones))


def _member(study: Study, member: int) -> Membership:
    row = study.members.select_related("person", "study").filter(pk=member).first()
    if row is None:
        raise Http404("There is no such person in this study.")
    return row


class OneMember(APIView):
    @extend_schema(parameters=[REVISION], request=RoleChange, responses=MemberRow)
    def put(self, request: Request, study: int, member: int) -> Response:
        """Change somebody's role."""
        found = study_for(request.user, study, "owner")
        role = body(request, RoleChange).role
        expected = expected_revision(request)
        row = members.change_role(_member(found, member), request.user, role, expected)
        return reply(_row(row, request.user))

    @extend_schema(parameters=[REVISION], responses={204: None})
    def delete(self, request: Request, study: int, member: int) -> Response:
        """An owner removes anybody; everybody may leave."""
        found = study_for(request.user, study)
        row = _member(found, member)
        if row.person != request.user:
            study_for(request.user, study, "owner")
        members.remove(row, request.user, expected_revision(request))
        return Response(status=204)


class Invitations(APIView):
    @extend_schema(request=RoleChange, responses={201: Invitation})
    def post(self, request: Request, study: int) -> Response:
        """Invite somebody by a link that works once."""
        found = study_for(request.user, study, "owner")
        role = members.checked_role(body(request, RoleChange).role)
        assert isinstance(request.user, Person)
        _, token = SignInLink.make(study=found.pk, role=role, made_by=request.user)
        return reply(Invitation(path=f"/join#{token}", role=role, days=INVITATION_LIFE.days), 201)


class OneInvitation(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, study: int, invitation: int) -> Response:
        """Revoke an invitation: its link works no more."""
        found = study_for(request.user, study, "owner")
        gone, _ = SignInLink.objects.filter(pk=invitation, study=found.pk, used_at=None).delete()
        if not gone:
            raise Problem("This invitation was already accepted or revoked.", 404)
        return Response(status=204)
