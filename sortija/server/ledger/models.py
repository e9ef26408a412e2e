"""Uploaded files, intakes, and the ledger's lines, receipts, cards and names."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from sortija.core.ledger.lines import NO_COST
from sortija.server.ledger.intake.stored import IntakeReport
from sortija.server.studies.models import Study
from sortija.server.studies.tokens import LENGTH, new_token

__all__ = [
    "Area",
    "Attachment",
    "Card",
    "CardId",
    "Code",
    "Correction",
    "Intake",
    "Line",
    "OptOut",
    "Original",
    "ReceiptChunk",
    "UnreadCell",
]


class Attachment(models.Model):
    """A log that stays where it lies: ``url``, a folder or a prefix of a store; ``files``: how many
    were there at the last look; ``trouble``: what kept that from ending."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="attachments")
    url = models.TextField()
    files = models.PositiveIntegerField(default=0)
    trouble = models.TextField(blank=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made_at = models.DateTimeField(auto_now_add=True)
    looked_at = models.DateTimeField(auto_now_add=True)
    revision = models.PositiveIntegerField(default=1)


class Original(models.Model):
    """A file as it was uploaded, kept under its SHA-256; ``received`` bytes of it are here.

    One of an attached log is not here: its digest is of its place, name and ``version``.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="originals")
    name = models.CharField(max_length=255)
    size = models.BigIntegerField()
    received = models.BigIntegerField(default=0)
    #: When the file was last changed, as the browser says, in milliseconds; 0: not known.
    modified = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)
    lines = models.BigIntegerField(default=0)
    #: Digests of erased people whom it was written without; hashes that it had before that; the
    #: one whose file is still to be removed; what a person should know of all that.
    without = models.JSONField(default=list)
    former = models.JSONField(default=list)
    replaced = models.CharField(max_length=64, blank=True, default="")
    note = models.CharField(max_length=300, blank=True, default="")
    #: How its text is written, where somebody said so (``core.formats.encodings``).
    encoding = models.CharField(max_length=12, blank=True, default="")
    attachment = models.ForeignKey(
        Attachment, on_delete=models.CASCADE, null=True, related_name="originals"
    )
    version = models.CharField(max_length=80, blank=True, default="")
    begun_at = models.DateTimeField(auto_now_add=True)

    @property
    def whole(self) -> bool:
        return bool(self.sha256)


class Intake(models.Model):
    """One file brought in: what it is, how its columns are read, what came of it."""

    LOG, MEMBERS, RESPONSES, OFFERS, AREAS = "log", "members", "responses", "offers", "areas"
    REVIEW, READING, COUNTED, FAILED, REMOVED = (
        "review", "reading", "counted", "failed", "taken back",
    )  # fmt: skip

    id = models.AutoField(primary_key=True)
    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="intakes")
    original = models.ForeignKey(Original, on_delete=models.PROTECT, related_name="intakes")
    role = models.CharField(max_length=10)
    mapping = models.JSONField()
    guesses = models.JSONField(default=list)
    state = models.CharField(max_length=10, default=REVIEW)
    #: An ``IntakeReport``; empty while it is under review.
    report = models.JSONField(default=dict)
    error = models.TextField(blank=True)
    received_on = models.DateField()
    #: What becomes of receipts that an earlier file has too (``core.ledger.overlap``).
    overlap = models.CharField(max_length=8, default="both")
    #: The counted intake of the same original that this one, its columns changed, is to replace.
    replaces = models.ForeignKey("self", on_delete=models.CASCADE, null=True, related_name="anew")
    #: A file with the receipts' heads, joined to this one's lines by (our column, its column).
    heads = models.ForeignKey(
        Original, on_delete=models.PROTECT, null=True, related_name="heads_of"
    )
    heads_by = models.JSONField(default=list)
    #: Decimals of a log's money as its lines are stored; the study's are the most that count.
    scale = models.PositiveSmallIntegerField(default=2)
    #: Names what was read from it in files; each reading gets another.
    token = models.CharField(max_length=LENGTH, default=new_token, editable=False)
    revision = models.PositiveIntegerField(default=1)
    made_at = models.DateTimeField(auto_now_add=True)
    counted_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["study", "original", "role"],
                condition=~models.Q(state="taken back") & models.Q(replaces=None),
                name="one_intake_a_file",
            )
        ]

    @property
    def came(self) -> IntakeReport:
        """What came of reading it."""
        return IntakeReport.model_validate(self.report)


class Card(models.Model):
    """What a log names: a number from 0 within its study, and the code on the card."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="cards")
    number = models.IntegerField()
    code = models.TextField()
    address = models.TextField(blank=True)
    #: Keyed digest of the code of an erased person, so that a later file brings nobody back.
    erased = models.CharField(max_length=64, blank=True, default="", db_default="")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "number"], name="one_card_number"),
            models.UniqueConstraint(
                fields=["study", "code"], condition=~models.Q(code=""), name="one_card_code"
            ),
        ]
        indexes = [
            models.Index(fields=["study"], condition=~models.Q(erased=""), name="erased_cards")
        ]


class CardId(models.Model):
    """Another name of a card from a customer table: found by it, never grouped by it."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="card_ids")
    intake = models.ForeignKey(Intake, on_delete=models.CASCADE, related_name="card_ids")
    card = models.IntegerField()
    name = models.CharField(max_length=120)
    text = models.TextField()

    class Meta:
        indexes = [
            models.Index(fields=["study", "card"], name="ids_of_a_card"),
            models.Index(fields=["study", "text"], name="cards_of_an_id"),
        ]


class Correction(models.Model):
    """A trait of one card corrected by hand, with who did so and when; the newest holds."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="corrections")
    card = models.IntegerField()
    trait = models.CharField(max_length=120)
    value = models.CharField(max_length=200)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    #: Undone: it holds no longer, and redo brings it back.
    held = models.BooleanField(default=True)


class OptOut(models.Model):
    """A customer who asked not to be written to any more; ``at``: when, ``words``: by what way."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="opt_outs")
    card = models.IntegerField()
    at = models.DateTimeField()
    words = models.CharField(max_length=120)
    made_at = models.DateTimeField(auto_now_add=True)
    #: A correction by hand that says they consent again; it counts as long as it holds.
    taken_back = models.ForeignKey(
        Correction, null=True, on_delete=models.SET_NULL, related_name="+"
    )

    class Meta:
        indexes = [models.Index(fields=["study", "card"], name="opt_outs_of_a_card")]


class Code(models.Model):
    """A name that lines carry as a number: sites, channels, items, departments."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="codes")
    kind = models.CharField(max_length=12)
    number = models.IntegerField()
    text = models.TextField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "kind", "number"], name="one_code_number"),
        ]


class Line(models.Model):
    """One row of a transaction log, stored once and never changed.

    Numbers only, NOT NULL, without foreign keys in the database: lines come by COPY, and the
    loader proves that they fit. The table is parted by intake: a part is filled bare and keyed
    when full. ``day`` of a line without a date is 1970-01-01 less one.
    """

    pk = models.CompositePrimaryKey("intake_id", "number")
    intake = models.ForeignKey(
        Intake, on_delete=models.DO_NOTHING, db_constraint=False, db_index=False
    )
    number = models.IntegerField()
    receipt = models.BigIntegerField()
    quantity = models.BigIntegerField()
    money = models.BigIntegerField()
    cost = models.BigIntegerField(default=NO_COST, db_default=NO_COST)
    day = models.DateField()
    second = models.IntegerField()
    card = models.IntegerField()
    item = models.IntegerField()
    run = models.IntegerField()
    bits = models.IntegerField()
    department = models.SmallIntegerField()
    site = models.SmallIntegerField()
    channel = models.SmallIntegerField()
    kind = models.SmallIntegerField()


class ReceiptChunk(models.Model):
    """65,536 runs of an intake, in file order: lines of one receipt that stood together.

    A run is one value per receipt, so it is kept as columns are. Little-endian ``key`` and
    ``content`` (digests, uint64) and ``lines`` (int32); the first line follows from the lines
    before it. ``Line.run`` says which run per line is of.
    """

    intake = models.ForeignKey(Intake, on_delete=models.CASCADE, related_name="receipt_chunks")
    number = models.IntegerField()
    key = models.BinaryField()
    content = models.BinaryField()
    lines = models.BinaryField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["intake", "number"], name="one_receipt_chunk"),
        ]


class Area(models.Model):
    """A district: what customers' tables call it, its rings in degrees, its households."""

    intake = models.ForeignKey(Intake, on_delete=models.CASCADE, related_name="areas")
    code = models.TextField()
    households = models.IntegerField(null=True)
    rings = models.JSONField()


class UnreadCell(models.Model):
    """A cell that could not be read, word for word."""

    intake = models.ForeignKey(Intake, on_delete=models.CASCADE, related_name="unread")
    line = models.IntegerField()
    role = models.CharField(max_length=12)
    text = models.CharField(max_length=200)
