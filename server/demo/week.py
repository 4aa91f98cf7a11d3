"""A booked week: who is there for service, a calendar of courses and members, and the plan around them."""

from __future__ import annotations

import io
from datetime import date, timedelta
from typing import TYPE_CHECKING

from people.models import User

if TYPE_CHECKING:
    from .workshop import Maker

#: Who is there: day (0: Monday), from, until.
_HOURS = {
    "tech": [(1, "09:00", "12:30"), (3, "13:00", "17:00")],
    "tech2": [(2, "16:00", "19:00"), (5, "10:00", "14:00")],
}
#: What recurs every week: day, from, until, what, where.
_BOOKED = [
    (1, "090000", "120000", "Course: first print", "Bowline"),
    (1, "100000", "123000", "Members' morning", "Halyard"),
    (2, "140000", "200000", "Gear for the tide gauge", "Windlass"),
    (3, "130000", "160000", "Course: tolerances", "Marline, Carrick"),
    (5, "100000", "130000", "Open Saturday", "Bowline, Sheepshank"),
    (5, "100000", "110000", "Key handed over", "The gate"),
]


def booked_week(maker: Maker) -> None:
    """Hours, the calendar as a file, and the plan of this week."""
    for who, hours in _HOURS.items():
        told = [{"weekday": d, "begins": b, "ends": e} for d, b, e in hours]
        user = User.objects.get(username=who).pk
        maker.call(who, "POST", "/service/hours", {"user_id": user, "hours": told})
    monday = maker.today.date() - timedelta(days=maker.today.weekday())
    file = io.BytesIO(_calendar(monday))
    file.name = "rope-walk.ics"
    maker.call("lead", "POST", "/calendars", name="Bookings of the rope-walk", file=file)
    # On a Sunday nothing is left of the week.
    for week in (monday, monday + timedelta(days=7)):
        maker.call("tech", "POST", "/service/week", {"monday": week.isoformat()})


def _calendar(monday: date) -> bytes:
    rows = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//The rope-walk//Bookings//EN"]
    for i, (day, begins, ends, what, where) in enumerate(_BOOKED):
        on = f"{monday + timedelta(days=day - 7):%Y%m%d}T"
        rows += [
            "BEGIN:VEVENT",
            f"UID:rope-walk-{i}",
            f"DTSTAMP:{on}000000Z",
            f"DTSTART:{on}{begins}",
            f"DTEND:{on}{ends}",
        ]
        rows += ["RRULE:FREQ=WEEKLY", f"SUMMARY:{what}", f"LOCATION:{where}".replace(", ", "\\, "), "END:VEVENT"]
    return "\r\n".join([*rows, "END:VCALENDAR", ""]).encode()
