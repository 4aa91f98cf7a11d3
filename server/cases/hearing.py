"""Who reported a fault hears what became of it: on its page always, and by e-mail where they and the workshop want it."""

from __future__ import annotations

from post import sending

from .models import Case, Closing

#: Letters of this kind, as the post knows them.
ABOUT = "case"

_BECAME = {
    Closing.VERIFIED: "It was mended, and measured or printed again: it holds.",
    Closing.HARMLESS: "It is harmless, and was left as it is.",
    Closing.HANDED_ON: "It was handed on to somebody else.",
    Closing.WARRANTY: "The machine goes back to its maker.",
    Closing.RETIRED: "The machine is no longer used.",
}


def tell_reporter(case: Case) -> None:
    """Post what became of a case to who reported it, unless they closed it themselves, or want no letters."""
    user = case.reported_by
    if user is None or user.pk == case.closed_by_id or not user.is_active or not user.hears_at or not sending.is_set():
        return
    words = [
        f"You reported on {case.printer.name}: {case.title}.",
        _BECAME.get(Closing(case.closing), case.get_closing_display()),
        f"What it was: {case.cause}" if case.cause else "",
        sending.page(f"/cases/{case.pk}"),
        "",
        "You get this because your account says where to write to; it is changed there.",
    ]
    subject = f"{case.printer.name}: what became of your report"
    sending.post(user.hears_at, ABOUT, subject, "\n".join(words), user)
