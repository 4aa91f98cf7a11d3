"""A small workshop for the API's tests: one crossed-belt machine, one with a moving bed, a person of each role."""

from __future__ import annotations

import io
import json
import uuid
from typing import Any

from demo.models_of_printers import MODELS
from django.contrib.auth.hashers import make_password
from django.test import Client, TestCase
from kestov_core.machine import Tensioner
from kestov_core.simulator.machine import SimBelt, SimMachine
from kestov_core.simulator.sound import Belt, Pluck, Recording, Room, record, wav
from people.models import Role, User
from work import doing
from work.models import State, Work
from workshop.models import Area, Limit, Printer, PrinterModel, fit_out

PASSWORD = "a-long-wet-rope"
# Made once: it is slow by design.
_HASH = make_password(PASSWORD)


def sim(a: float, b: float) -> dict[str, Any]:
    """A simulated pair of belts with these true tensions (N)."""
    common: dict[str, Any] = {
        "linear_density_g_per_m": 8.24,
        "span_mm": 285,
        "axial_stiffness_n": 15000,
        "loop_length_mm": 1760,
        "tensioner": Tensioner(thread_pitch_mm=0.7),
    }
    belts = {"a": SimBelt(tension_n=a, partner="b", **common), "b": SimBelt(tension_n=b, partner="a", **common)}
    return SimMachine(belts=belts, seed=5).model_dump(mode="json")


def recording(f0: float = 100.0, **room: float) -> Recording:
    """Four plucks of a belt."""
    plucks = [Pluck(at_s=0.4 + i) for i in range(4)]
    return record(Belt(f0_hz=f0), plucks, 4.6, 16000, Room(hiss=0.001, **room), seed=3)


def wav_file(f0: float = 100.0, name: str = "belt.wav") -> io.BytesIO:
    file = io.BytesIO(wav(recording(f0)))
    file.name = name
    return file


class ApiCase(TestCase):
    """``call(who, method, path, body)`` gives (status, answer)."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.people = {
            role.value: User.objects.create(username=role.value, name=role.label, role=role, password=_HASH)
            for role in Role
        }
        cls.people["other"] = User.objects.create(
            username="other", name="Other member", role=Role.MEMBER, password=_HASH
        )
        area = Area.objects.create(name="Long walk")
        made = {}
        for row in MODELS[:2]:
            model = PrinterModel.objects.create(name=row["name"], description=row["description"])
            for limit in row["limits"]:
                Limit.objects.create(model=model, **limit)
            made[row["name"]] = model
        cls.crossed = Printer.objects.create(name="Bowline", model=made["Heron 300"], area=area, simulated=sim(16, 27))
        cls.slinger = Printer.objects.create(name="Halyard", model=made["Dunlin 220"], area=area)
        for printer in (cls.crossed, cls.slinger):
            fit_out(printer)

    def setUp(self) -> None:
        self.clients = {}
        for who, user in self.people.items():
            self.clients[who] = Client()
            self.clients[who].force_login(user, backend="django.contrib.auth.backends.ModelBackend")
        self.clients["nobody"] = Client()

    def call(
        self,
        who: str,
        method: str,
        path: str,
        body: Any = None,
        key: str | None = None,
        entered: Any = None,
        **form: Any,
    ) -> tuple[int, Any]:
        headers = {"Idempotency-Key": key} if key else {}
        if entered is not None:
            headers["Entered-At"] = str(entered)
        if form:
            answer = self.clients[who].post(f"/api{path}", form, headers=headers)
        else:
            answer = self.clients[who].generic(
                method, f"/api{path}", json.dumps(body or {}), content_type="application/json", headers=headers
            )
        is_json = "json" in answer.headers.get("Content-Type", "")
        return answer.status_code, answer.json() if is_json else answer.content

    def good(self, *args: Any, **kwargs: Any) -> Any:
        """The answer of a call that must succeed."""
        status, answer = self.call(*args, **kwargs)
        self.assertEqual(status, 200, answer)
        return answer

    def refused(self, status: int, code: str, field: str | None, *args: Any, **kwargs: Any) -> str:
        """The words of a call that must be refused, as RFC 9457 problem details."""
        got, answer = self.call(*args, **kwargs)
        self.assertEqual((got, answer["code"], answer["field"]), (status, code, field), answer)
        self.assertEqual(answer["status"], status)
        return str(answer["detail"])

    def report(
        self,
        who: str = "member",
        finding: str = "echoes_after_corners",
        axis: str = "x",
        printer: Printer | None = None,
    ) -> int:
        body = {
            "printer_id": (printer or self.crossed).pk,
            "finding": finding,
            "axis": axis,
            "since": "last week",
            "words": "On all lids.",
        }
        return int(self.good(who, "POST", "/cases", body)["id"])

    def do_work(self, work_id: int | None = None) -> None:
        """Do what waits, as a worker would."""
        waiting = Work.objects.filter(state=State.WAITING).order_by("pk")
        for work in waiting if work_id is None else waiting.filter(pk=work_id):
            doing.run(work.pk)

    def stand_in(self, place: str, case: int | None = None, id_: str | None = None) -> Any:
        body = {"id": id_ or str(uuid.uuid4()), "place": place, "case_id": case}
        return self.good("technician", "POST", f"/printers/{self.crossed.pk}/belt-pluck/stand-in", body)
