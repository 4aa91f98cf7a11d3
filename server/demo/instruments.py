"""The demo workshop's instruments: what each was checked against, and how alike its people read the caliper."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING, Any

import numpy as np
from people.clock import at
from people.models import User

if TYPE_CHECKING:
    from .workshop import Maker

#: As they are added; days ago for ``checked_on`` and ``check_due`` (below zero: to come).
INSTRUMENTS: list[dict[str, Any]] = [
    {
        "name": "Bench microphone",
        "kind": "microphone",
        "unit": "Hz",
        "checked_on": 60,
        "checked_against": "tuning fork 440 Hz",
        "check_due": -120,
    },
    {"name": "Caliper 1", "kind": "caliper", "resolution": 0.01, "u95": 0.03, "unit": "mm"},
    {
        "name": "Spring scale 10 N",
        "kind": "spring scale",
        "resolution": 0.1,
        "u95": 0.1,
        "unit": "N",
        "checked_on": 90,
        "checked_against": "bottle of 500 g water",
        "check_due": -90,
    },
    {"name": "Dial indicator 10 mm", "kind": "dial indicator", "resolution": 0.01, "u95": 0.01, "unit": "mm"},
    {
        "name": "Accelerometer on the bench",
        "kind": "accelerometer",
        "unit": "m/s2",
        "checked_on": 30,
        "checked_against": "standing on each side, 9.81 m/s²",
        "check_due": -150,
        "address": "127.0.0.1:8790",
    },
]

#: (instrument, days ago, against, true mm, what it read, next check in days ago)
CHECKS = [
    ("Caliper 1", 149, "25 mm gauge block", 25.0, [25.01, 25.01, 25.0], 15),
    ("Dial indicator 10 mm", 120, "5 mm gauge block", 5.0, [5.01, 5.0, 5.0, 5.01], -60),
]

#: What each person truly reads the caliper more by (mm): one closes the jaws harder, one reads at an angle.
HANDS = {"tech": 0.0, "lead": -0.012, "tech2": 0.03}
BLOCKS = {"A": 19.94, "B": 20.08, "C": 24.91, "D": 40.03, "E": 59.88}
FEELERS = {"1": 0.41, "2": 0.82, "3": 1.53}


def check_and_compare(maker: Maker) -> None:
    """Two checks, one comparison of three people that counts, and one of the indicator that is half done."""
    shop = maker.call("lead", "GET", "/workshop")
    ids = {i["name"]: i["id"] for i in shop["instruments"]}
    for name, days, against, reference, readings, due in CHECKS:
        with at(maker.today - timedelta(days=days)):
            body = {"how": "known", "against": against, "reference": reference, "readings": readings, "limit": 0.02}
            day = (maker.today - timedelta(days=due)).date().isoformat()
            maker.call("tech", "POST", f"/instruments/{ids[name]}/checks", {**body, "check_due": day})
    rng = np.random.default_rng(31)
    with at(maker.today - timedelta(days=33)):
        study = _begin(maker, ids["Caliper 1"], "Printed blocks, across the flats", list(BLOCKS), 3, 0.3)
        for person in study["people"]:
            study = _read(maker, study, person, BLOCKS, rng)
        maker.call("lead", "POST", f"/studies/{study['id']}/count")
    with at(maker.today - timedelta(days=2)):
        study = _begin(maker, ids["Dial indicator 10 mm"], "Stacked feeler blades", list(FEELERS), 4, None)
        _read(maker, study, study["people"][0], FEELERS, rng)


def _begin(maker: Maker, instrument: int, what: str, pieces: list[str], times: int, tolerance: float | None) -> Any:
    who = [User.objects.get(username=name).pk for name in HANDS]
    body = {"what": what, "people": who, "pieces": pieces, "times": times, "tolerance": tolerance}
    return maker.call("tech", "POST", f"/instruments/{instrument}/studies", body)


def _read(maker: Maker, study: Any, person: Any, true: dict[str, float], rng: np.random.Generator) -> Any:
    """Everything that is left for one person, as their hand reads it."""
    bias = HANDS[User.objects.get(pk=person["id"]).username]
    typed = [
        {
            "position": turn["position"],
            "value": round(true[study["pieces"][turn["piece"]]] + bias + float(rng.normal(0, 0.009)), 2),
        }
        for turn in person["left"]
    ]
    return maker.call("tech", "POST", f"/studies/{study['id']}/readings", {"person": person["id"], "readings": typed})
