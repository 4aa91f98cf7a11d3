"""Who may do what: every route of the API with the least role it asks for. Nothing else grants or refuses by role.

Object rules that go beyond a role (a member reads only the cases they reported) stand below the table.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from cases.models import Case
from django.conf import settings
from django.http import HttpRequest
from ninja.security import APIKeyCookie
from ninja.utils import check_csrf
from people.models import Role, User
from work.models import Work

from .problems import Problem

ANYONE = None
M, T, L = Role.MEMBER, Role.TECHNICIAN, Role.LEAD

TABLE: dict[str, Role | None] = {
    # signing in
    "health.see": ANYONE,
    "session.open": ANYONE,
    "session.by_code": ANYONE,
    "session.first_account": ANYONE,
    "session.state": ANYONE,
    "session.invited": ANYONE,
    "session.join": ANYONE,
    "wall.see": ANYONE,
    "open_reports.see": ANYONE,
    "open_reports.tell": ANYONE,
    "open_reports.list": T,
    "open_reports.count": T,
    "session.close": M,
    "me.change": M,
    # floor and machines
    "floor.see": M,
    "printer.see": M,
    "printer.record": T,
    "printer.sheet": T,
    "printer.differ": T,
    "printer.happened": T,
    "printer.tag_out": T,
    "printer.lift_tag": T,
    "findings.list": M,
    "knowledge.see": T,
    "knowledge.faults": T,
    "knowledge.checks": T,
    "knowledge.changed": T,
    "knowledge.mend": L,
    # cases
    "cases.list": M,
    "cases.report": M,
    "cases.see": M,
    "cases.measured": T,
    "cases.take": T,
    "cases.observe": M,
    "cases.comment": M,
    "cases.add_picture": M,
    "cases.picture": M,
    "cases.add_sound": M,
    "cases.outcome": T,
    "cases.undo": M,
    "cases.repair": T,
    "cases.close": T,
    "cases.reopen": T,
    "cases.look": T,
    # bench
    "bench.see": T,
    "bench.rounds": T,
    "bench.chunk": T,
    "bench.act": T,
    "bench.map": T,
    "bench.sets": T,
    "bench.turned": T,
    "measure.take": T,
    "measure.practice": T,
    "measure.program": T,
    "measure.shaper": T,
    "resonance.compare": T,
    "walls.add": T,
    "walls.see": T,
    "walls.measure": T,
    "parts.list": T,
    "parts.take": T,
    "parts.sheet": T,
    "parts.own": T,
    "components.see": T,
    "components.deed": T,
    "components.types": L,
    "use.see": T,
    "meter.read": T,
    "near_misses.tell": M,
    "near_misses.see": T,
    "near_misses.answer": L,
    "trend.see": T,
    "service.see": T,
    "service.tick": T,
    "service.feed": ANYONE,
    "service.plan": L,
    "worth.see": T,
    "worth.reckon": T,
    "worth.decide": L,
    "stores.see": T,
    "stores.move": T,
    "stores.keep": L,
    "fleet.see": T,
    "forecast.see": T,
    "ledger.see": T,
    "ledger.set": T,
    "captures.see": T,
    "captures.certificate": T,
    "captures.view": T,
    "captures.earlier": T,
    "captures.raw": T,
    "captures.export": T,
    "captures.recompute": T,
    # instruments, and how good readings are
    "instruments.see": T,
    "instruments.check": T,
    "instruments.study": T,
    "studies.see": T,
    "studies.run": T,
    # practice, a place beside the workshop
    "practice.go": M,
    "practice.enter": ANYONE,
    "practice.see": M,
    "practice.do": T,
    "practice.state": L,
    "alone.see": L,
    "archive.out": L,
    "archive.take": L,
    "alone.give": L,
    "alone.company": T,
    # the workshop itself
    "workshop.see": T,
    "workshop.change": L,
    "workshop.forget": L,
    "people.list": L,
    "people.change": L,
    "people.invite": L,
    "people.open_up": L,
    "audit.see": L,
    # long work
    "work.list": L,
    "work.see": T,
    "work.ask": L,
}


class _Signed(APIKeyCookie):
    """Signed in (session cookie and forgery check), with at least the role of the route."""

    param_name = settings.SESSION_COOKIE_NAME

    def __init__(self, role: Role) -> None:
        super().__init__(csrf=True)
        self.role = role

    def authenticate(self, request: HttpRequest, key: str | None) -> User:
        user = request.user
        if not isinstance(user, User) or not user.is_active:
            raise Problem(401, "signed_out", "You are signed out. Sign in again; what you entered is kept.")
        if not user.may(self.role):
            raise Problem(
                403, "not_yours", f"This needs the role {self.role.label.lower()}. Ask the lead of the workshop."
            )
        return user


def _anyone(request: HttpRequest) -> bool:
    """Whoever asks; a write still comes from our own page."""
    if request.method not in ("GET", "HEAD", "OPTIONS") and check_csrf(request) is not None:
        raise Problem(
            403, "csrf", "The sign-in of this page has changed. Reload it and try again; nothing was saved twice."
        )
    return True


def may(route: str) -> Callable[[HttpRequest], Any]:
    """The check for a route, by its line in the table. A route without a line cannot be made."""
    role = TABLE[route]
    return _anyone if role is None else _Signed(role)


def may_work(user: User) -> bool:
    """Whether this person sees and does more than a member: figures, the work list, all cases."""
    return user.may(Role.TECHNICIAN)


def own_or_technician(user: User, case: Case) -> None:
    """Object rule: a member sees and adds to the cases they reported; technicians to all."""
    if not may_work(user) and case.reported_by_id != user.pk:
        raise Problem(403, "not_yours", "Only technicians and who reported a case can open it.")


def own_or_lead(user: User, work: Work) -> None:
    """Object rule: the lead sees and stops all long work, who asked for it their own."""
    if not user.may(Role.LEAD) and work.by_id != user.pk:
        raise Problem(403, "not_yours", "Only the lead, and who asked for it, sees this.")


def own_or_lead_practises(user: User, of_whom: int) -> None:
    """Object rule: everybody sees their own lessons, the lead everybody's."""
    if not user.may(Role.LEAD) and user.pk != of_whom:
        raise Problem(403, "not_yours", "Only the lead sees the lessons of others.")


def sees_all_practice(user: User) -> bool:
    """Whether this person sees who else practises."""
    return user.may(Role.LEAD)


def own_hours_or_lead(user: User, of_whom: int) -> None:
    """Object rule: everybody tells their own hours, the lead anybody's."""
    if user.pk != of_whom and not user.may(Role.LEAD):
        raise Problem(403, "not_yours", "Only the lead tells the hours of others.")
