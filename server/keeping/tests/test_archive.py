"""The archive: out and in again equal; a machine moved with its history; what lets somebody in is left; broken ones are refused whole."""

import io
import json
import tempfile
import uuid
import zipfile
from pathlib import Path

from api.tests.test_cases import picture
from api.tests.world import PASSWORD, ApiCase
from cases.models import Case
from django.apps import apps
from django.db import connection
from measuring.models import Capture, Result, Standing
from people.models import User
from people.refusals import Refused
from workshop.models import Area, Component, Printer, PrinterModel

from keeping import archive


class World(ApiCase):
    def fill(self):
        """Something of each: a measurement and its correction, a case with a picture, deeds, a round."""
        first = self.stand_in("a")
        self.stand_in("a")
        body = {"id": str(uuid.uuid4()), "place": "a", "supersedes": first["id"]}
        self.good("technician", "POST", f"/printers/{self.crossed.pk}/belt-pluck/stand-in", body)
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/comments", {"words": "Ünïcode, “quoted”\nand a second line."})
        self.good("technician", "POST", f"/cases/{case}/pictures", file=picture(), words="Echoes")
        part = Component.objects.filter(printer=self.crossed, kind="belt").first()
        self.good("technician", "POST", f"/components/{part.pk}/deeds", {"did": "inspect", "words": "Looks new."})  # fmt: skip
        return case

    def setUp(self):
        super().setUp()
        self.case = self.fill()
        self.file = Path(tempfile.mkdtemp()) / "all.zip"


def dumped():
    """All rows that an archive holds, as they are told."""
    out = {}
    for model in archive.tables():
        label = model._meta.label
        left = archive._LEFT_FIELDS.get(label, set())
        fields = [f for f in model._meta.concrete_fields if f.name not in left]
        rows = model._base_manager.order_by("pk")
        if label == "measuring.Capture":
            out[label] = [(str(r.pk), r.raw(), r.context, str(r.supersedes_id), r.taken_at) for r in rows]
            continue
        out[label] = [tuple(str(bytes(v)) if isinstance(v, memoryview) else v for v in (f.value_from_object(r) for f in fields)) for r in rows]  # fmt: skip
    return out


def emptied():
    names = [m._meta.db_table for m in archive.tables()] + [apps.get_model(a)._meta.db_table for a in archive.LEFT]
    with connection.cursor() as cursor:
        cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        cursor.execute("SET CONSTRAINTS ALL DEFERRED")
        cursor.execute("TRUNCATE " + ", ".join(f'"{n}"' for n in names) + " RESTART IDENTITY CASCADE")


class Whole(World):
    def test_out_and_in_again_is_equal(self):
        before = dumped()
        manifest = archive.write(self.file)
        self.assertGreater(manifest.rows["measuring.Capture"], 2)
        emptied()
        archive.take_workshop(self.file)
        after = dumped()
        for label, rows in before.items():
            self.assertEqual(rows, after[label], label)
        # What is worked out is there again, and new rows get numbers of their own.
        self.assertTrue(Standing.objects.exists())
        self.assertGreater(Area.objects.create(name="New").pk, 1)
        self.assertGreater(Case.objects.create(printer_id=self.crossed.pk, title="x", reported_at="2026-01-01T00:00Z").pk, self.case)  # fmt: skip

    def test_it_can_be_read_without_kestov_and_holds_no_password(self):
        archive.write(self.file)
        with zipfile.ZipFile(self.file) as z:
            people = [json.loads(line) for line in z.read("tables/people.User.jsonl").splitlines()]
            self.assertEqual({p["username"] for p in people}, {"member", "technician", "lead", "other"})
            self.assertFalse(any({"password", "email", "last_login"} & set(p) for p in people))
            everything = b"".join(z.read(n) for n in z.namelist())
            self.assertNotIn(PASSWORD.encode(), everything)
            self.assertNotIn(b"pbkdf2", everything)
            sound = next(n for n in z.namelist() if n.endswith(".wav"))
            self.assertEqual(z.read(sound)[:4], b"RIFF")
            picture = next(n for n in z.namelist() if n.startswith("files/cases.Picture"))
            self.assertEqual(z.read(picture)[:3], b"\xff\xd8\xff")
        emptied()
        archive.take_workshop(self.file)
        self.assertFalse(User.objects.get(username="lead").has_usable_password())

    def test_a_workshop_that_is_there_is_not_overwritten(self):
        archive.write(self.file)
        with self.assertRaises(Refused) as refused:
            archive.take_workshop(self.file)
        self.assertEqual(refused.exception.code, "not_empty")


class Moved(World):
    def moved(self, **how):
        archive.write(self.file, self.crossed)
        # Its measurements keep their ids: as in another workshop, they are not here yet.
        self.forget()
        return archive.take_machine(self.people["lead"], self.file, **how)

    def forget(self):
        with connection.cursor() as cursor:
            cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")
            cursor.execute("SET CONSTRAINTS ALL DEFERRED")
            cursor.execute("TRUNCATE measuring_capture, cases_case CASCADE")

    def test_a_machine_comes_with_its_history_and_nobody_is_taken_for_another(self):
        results = list(Result.objects.order_by("capture__taken_at").values_list("value", flat=True))
        before, models = Printer.objects.count(), PrinterModel.objects.count()
        here = self.moved()
        self.assertEqual((here.name, Printer.objects.count()), ("Bowline (2)", before + 1))
        self.assertEqual(PrinterModel.objects.count(), models)
        self.assertEqual(here.model, self.crossed.model)
        taken = Result.objects.filter(capture__printer=here).order_by("capture__taken_at")
        self.assertEqual(list(taken.values_list("value", flat=True)), results)
        self.assertEqual(Capture.objects.filter(printer=here, supersedes__isnull=False).count(), 1)
        who = Capture.objects.filter(printer=here).first().taken_by
        self.assertEqual((who.name, who.is_active, who.username), ("Technician", False, "technician (2)"))
        case = here.cases.get()
        self.assertIn("Ünïcode", case.comments.get().words)
        self.assertEqual(case.pictures.get().width, 800)
        self.assertEqual(here.cases.count(), 1)
        self.assertEqual(
            Component.objects.filter(printer=here).count(), Component.objects.filter(printer=self.crossed).count()
        )
        record = self.good("technician", "GET", f"/printers/{here.pk}/record")
        self.assertTrue(any("Plucked" in r["words"] for r in record["lines"]))
        self.assertTrue(self.good("technician", "GET", f"/printers/{here.pk}"))

    def test_another_name_another_place_and_another_model(self):
        PrinterModel.objects.filter(pk=self.crossed.model_id).update(notes="")
        archive.write(self.file, self.crossed)
        self.forget()
        PrinterModel.objects.filter(pk=self.crossed.model_id).update(
            description={**self.crossed.model.description, "beam_angle_deg": 30}
        )
        area = Area.objects.create(name="Tar loft")
        here = archive.take_machine(self.people["lead"], self.file, "Hawser", area.pk)
        self.assertEqual((here.name, here.area, here.model.name), ("Hawser", area, "Heron 300 (2)"))
        self.assertEqual(here.model.limits.count(), self.crossed.model.limits.count())

    def test_twice_is_refused(self):
        archive.write(self.file, self.crossed)
        with self.assertRaises(Refused) as refused:
            archive.take_machine(self.people["lead"], self.file)
        self.assertEqual(refused.exception.code, "here_already")
        self.assertEqual(Printer.objects.filter(name__startswith="Bowline").count(), 1)


class Broken(World):
    def changed(self, name, change):
        archive.write(self.file, self.slinger)
        out = io.BytesIO()
        with zipfile.ZipFile(self.file) as z, zipfile.ZipFile(out, "w") as new:
            for n in z.namelist():
                data = z.read(n)
                new.writestr(n, change(data) if n == name else data)
        out.seek(0)
        return out

    def refuses(self, file):
        before = Printer.objects.count(), User.objects.count()
        with self.assertRaises(Refused) as refused:
            archive.take_machine(self.people["lead"], file)
        self.assertEqual((Printer.objects.count(), User.objects.count()), before)
        self.assertEqual(refused.exception.code, "bad_archive")
        return refused.exception.detail

    def test_what_is_none_is_said_so_and_nothing_is_taken(self):
        self.refuses(io.BytesIO(b"no zip"))
        self.refuses(self.changed("manifest.json", lambda d: b'{"kind": "kestov-archive", "version": 1}'))
        printers = "tables/workshop.Printer.jsonl"
        self.assertIn("line 1", self.refuses(self.changed(printers, lambda d: b"{no json\n")))
        self.assertIn("line 1", self.refuses(self.changed(printers, lambda d: b"[1]\n")))
        self.assertIn("workshop.Printer", self.refuses(self.changed(printers, lambda d: d.replace(b'"position": 0', b'"position": "many"'))))  # fmt: skip
        self.assertIn("version", self.refuses(self.changed("manifest.json", lambda d: d.replace(b'"version": 1', b'"version": 9'))))  # fmt: skip
        self.refuses(self.changed(printers, lambda d: d.replace(b'"model_id": ', b'"model_id": 99')))
        parts = "tables/workshop.Component.jsonl"
        self.refuses(self.changed(parts, lambda d: d.replace(b'"kind": "belt"', b'"kind": "' + b"x" * 500 + b'"')))


class ByThePage(ApiCase):
    def test_the_lead_takes_a_machine_out_and_in(self):
        data = b"".join(self.clients["lead"].get(f"/api/printers/{self.slinger.pk}/archive").streaming_content)
        with zipfile.ZipFile(io.BytesIO(data)) as z:
            self.assertEqual(json.loads(z.read("manifest.json"))["name"], "Halyard")
        file = io.BytesIO(data)
        file.name = "halyard.kestov.zip"
        taken = self.good("lead", "POST", "/archive", file=file, name="Lanyard")
        self.assertEqual(taken["name"], "Lanyard")
        self.refused(403, "not_yours", None, "technician", "GET", "/archive")
        whole = b"".join(self.clients["lead"].get("/api/archive").streaming_content)
        bad = io.BytesIO(whole)
        bad.name = "all.zip"
        self.refused(422, "bad_archive", "file", "lead", "POST", "/archive", file=bad)
