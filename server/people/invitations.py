"""Accounts by invitation: a link that the lead hands out, to one or to several, or one for each line of a list."""

from __future__ import annotations

import csv
import hashlib
import io
import secrets
from dataclasses import dataclass
from datetime import timedelta

from django.db import transaction

from .accounts import make_account
from .clock import now
from .models import Invitation, Role, User, audit
from .refusals import Refused

#: How long a link is good; how many may use one; how many lines a list has.
GOOD, MOST_USES, MOST_LINES = timedelta(days=14), 60, 500
#: A list is no longer (bytes).
MOST_BYTES = 100_000
_NAMES = ("name", "username")


@dataclass(frozen=True)
class Invited:
    """An invitation as it was made: ``secret`` is told now and never again."""

    invitation: Invitation
    secret: str


def _make(by: User, role: Role, uses: int = 1, username: str = "", name: str = "") -> Invited:
    secret = secrets.token_urlsafe(18)
    row = Invitation.objects.create(
        hash=_hash(secret), role=role, username=username, name=name, left=uses, until=now() + GOOD, at=now(), by=by
    )
    return Invited(row, secret)


@transaction.atomic
def invite(by: User, role: Role, uses: int) -> Invited:
    """A link for whoever has it; only members may be several."""
    if role != Role.MEMBER and uses > 1:
        raise Refused(422, "out_of_range", "A link for more than one makes members alone.", "uses")
    made = _make(by, role, uses)
    audit(by, "invited", made.invitation, f"Made a link for {uses} {'account' if uses == 1 else 'accounts'} ({role}).")
    return made


@transaction.atomic
def invite_all(by: User, data: bytes) -> list[Invited]:
    """A link for each line of a list (CSV: name, username, and role where it is another than member); refused whole, with which line."""
    rows = _read(data)
    taken = {u.lower() for u in User.objects.values_list("username", flat=True)}
    seen: set[str] = set()
    for i, (_, username, _) in rows:
        if username.lower() in taken:
            raise _wrong(i, f"“{username}” has an account already.")
        if username.lower() in seen:
            raise _wrong(i, f"“{username}” stands here twice.")
        seen.add(username.lower())
    made = [_make(by, role, 1, username, name) for _, (name, username, role) in rows]
    audit(by, "invited", by, f"Made {len(made)} links from a list.")
    return made


def _wrong(line: int, words: str) -> Refused:
    return Refused(422, "bad_row", f"Line {line}: {words}", "file")


def _read(data: bytes) -> list[tuple[int, tuple[str, str, Role]]]:
    if len(data) > MOST_BYTES:
        raise Refused(413, "too_large", "A list has at most 100 kB.", "file")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as e:
        raise Refused(422, "bad_file", "The file is no text in UTF-8.", "file") from e
    first = text.splitlines()[0] if text.strip() else ""
    try:
        reader = csv.DictReader(
            io.StringIO(text, newline=""), delimiter=";" if first.count(";") > first.count(",") else ","
        )
        reader.fieldnames = [(n or "").strip().lower() for n in reader.fieldnames or []]
        if missing := [n for n in _NAMES if n not in reader.fieldnames]:
            raise Refused(422, "bad_file", f"The first line names the columns; “{missing[0]}” is missing.", "file")
        lines = [(reader.line_num, row) for row in reader]
    except csv.Error as e:
        raise Refused(422, "bad_file", "This is no table of commas or semicolons.", "file") from e
    if not lines:
        raise Refused(422, "bad_file", "There is no line under the names of the columns.", "file")
    if len(lines) > MOST_LINES:
        raise Refused(422, "too_many", f"A list has at most {MOST_LINES} lines.", "file")
    return [(i, _line(i, row)) for i, row in lines]


def _line(i: int, row: dict[str, str | None]) -> tuple[str, str, Role]:
    name, username = ((row.get(n) or "").strip() for n in _NAMES)
    if not name or len(name) > 80:
        raise _wrong(i, "a name of 1 to 80 characters is wanted.")
    if not username or len(username) > 150 or any(c.isspace() for c in username):
        raise _wrong(i, "a name to sign in with is wanted: 1 to 150 characters without spaces.")
    role = (row.get("role") or "member").strip().lower()
    if role not in Role.values:
        raise _wrong(i, f"“{role}” is no role: member, technician or lead.")
    return name, username, Role(role)


def invitation_of(secret: str) -> Invitation:
    """The invitation of a link; refused where it is no longer good."""
    row = Invitation.objects.filter(hash=_hash(secret), left__gt=0, until__gt=now()).first()
    if row is None:
        raise Refused(
            404, "not_good", "This link is not, or no longer, good. Ask the lead of the workshop for another."
        )
    return row


@transaction.atomic
def join(secret: str, username: str, name: str, password: str) -> User:
    """Make one's account by a link; of one that is for somebody, under their name."""
    row = Invitation.objects.select_for_update().get(pk=invitation_of(secret).pk)
    if row.left < 1:
        raise Refused(
            404, "not_good", "This link is not, or no longer, good. Ask the lead of the workshop for another."
        )
    user = make_account(row.username or username, row.name or name, password, Role(row.role))
    row.left -= 1
    row.save(update_fields=["left"])
    audit(user, "joined", user, f"{user.name} made their account ({user.role}) by a link.")
    return user


def good_ones() -> list[Invitation]:
    """The links that are still good, newest first."""
    return list(Invitation.objects.filter(left__gt=0, until__gt=now()).select_related("by")[:MOST_LINES])


@transaction.atomic
def take_back(by: User, invitation_id: int | None) -> None:
    """A link is no longer good; None: none of them is."""
    rows = Invitation.objects.select_for_update().filter(left__gt=0)
    rows = rows if invitation_id is None else rows.filter(pk=invitation_id)
    many = rows.update(left=0)
    if invitation_id is not None and not many:
        raise Refused(404, "not_found", "There is no such link; it may have been used.")
    audit(by, "took back", by, f"{many} {'link is' if many == 1 else 'links are'} no longer good.")


def _hash(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()
