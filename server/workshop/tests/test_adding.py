"""What the lead sets up, called as a command would: no request, no route."""

import json

from django.test import TestCase
from kestov_core.describing import LimitTold, typical
from kestov_core.errors import BadInput
from people.models import AuditEntry, Role, User
from people.refusals import Refused

from workshop import adding
from workshop.models import Area, Component, Instrument, PrinterModel

TENSION = LimitTold(what="tension", place="x", low=20, high=34, source="maker's manual")


class ByTheLead(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.lead = User.objects.create(username="lead", name="Lead", role=Role.LEAD)

    def refused(self, code, field, act, *args, **kwargs):
        with self.assertRaises(Refused) as caught:
            act(*args, **kwargs)
        self.assertEqual((caught.exception.code, caught.exception.field), (code, field))
        return caught.exception.detail

    def model(self, **more):
        return adding.describe(self.lead, "Wherry 200", typical("bed_slinger"), [TENSION], **more)


class Adding(ByTheLead):
    def test_a_name_is_trimmed_and_used_once_whatever_its_case(self):
        self.assertEqual(adding.add_area(self.lead, "  Tar loft ").name, "Tar loft")
        self.refused("out_of_range", "name", adding.add_area, self.lead, "TAR LOFT")
        self.refused("missing_field", "name", adding.add_area, self.lead, "   ")
        adding.add_instrument(self.lead, "Caliper 1", "caliper", resolution=0.01)
        self.refused("out_of_range", "name", adding.add_instrument, self.lead, "caliper 1", "caliper")
        self.assertEqual(Instrument.objects.count(), 1)

    def test_a_model_keeps_its_own_name_when_it_is_described_anew(self):
        model = self.model()
        again = adding.describe(self.lead, "Wherry 200", typical("bed_slinger"), [], "no limits now", model.pk)
        self.assertEqual((again.pk, again.notes, again.limits.count()), (model.pk, "no limits now", 0))
        other = adding.describe(self.lead, "Wherry 300", typical("bed_slinger"))
        self.refused(
            "out_of_range", "name", adding.describe, self.lead, "Wherry 200", typical("delta"), (), "", other.pk
        )

    def test_limits_are_refused_at_their_row(self):
        crossed = TENSION.model_copy(update={"low": 40.0})
        args = (self.lead, "Wherry 200", typical("bed_slinger"))
        self.refused("out_of_range", "limits.1.low", adding.describe, *args, [TENSION, crossed])
        unknown = TENSION.model_copy(update={"what": "colour"})
        words = self.refused("out_of_range", "limits.0.what", adding.describe, *args, [unknown])
        self.assertIn("tension", words)
        self.refused("out_of_range", "limits.1.what", adding.describe, *args, [TENSION, TENSION])
        self.assertFalse(PrinterModel.objects.exists())

    def test_what_makes_no_sense_is_refused_where_it_stands(self):
        short = typical("bed_slinger").model_dump(exclude_none=True)
        short["transmissions"]["x"] |= {"loop_length_mm": 300, "spans": [{"name": "upper run", "span_mm": 240}]}
        from kestov_core.machine import Description

        with self.assertRaises(Refused) as caught:
            adding.describe(self.lead, "Short", Description.model_validate(short))
        self.assertTrue(caught.exception.field.startswith("description.transmissions.x."), caught.exception.field)

    def test_a_printer_gets_the_parts_of_its_model_and_its_place_in_the_row(self):
        model, area = self.model(), adding.add_area(self.lead, "Long walk")
        first, second = (adding.add_printer(self.lead, name, model.pk, area.pk) for name in ("Fender", "Painter"))
        self.assertEqual((first.position, second.position), (0, 1))
        self.assertEqual(set(model.motion().belts()) - set(first.components.values_list("place", flat=True)), set())
        self.assertEqual(Component.objects.filter(printer=second).count(), first.components.count())
        self.refused("not_found", "area_id", adding.add_printer, self.lead, "Hawser", model.pk, 0)
        self.refused("not_found", "model_id", adding.add_printer, self.lead, "Hawser", 0, area.pk)
        self.refused("out_of_range", "name", adding.add_printer, self.lead, "fender", model.pk, area.pk)

    def test_forgetting_causes_sets_from_when_they_count(self):
        model = self.model()
        self.assertIsNone(model.learned_since)
        self.assertIsNotNone(adding.forget_causes(self.lead, model.pk).learned_since)
        self.refused("not_found", None, adding.forget_causes, self.lead, 0)

    def test_every_act_is_in_the_audit_trail(self):
        adding.add_area(self.lead, "Long walk")
        adding.forget_causes(self.lead, self.model().pk)
        said = list(AuditEntry.objects.order_by("id").values_list("verb", "what"))
        self.assertEqual(said, [("added", "area"), ("added", "printermodel"), ("reset", "printermodel")])


class Files(ByTheLead):
    def test_a_model_goes_out_and_comes_in_the_same(self):
        model = self.model(notes="from the yard")
        file = adding.as_file(model).model_dump_json(exclude_none=True).encode()
        taken = adding.take_file(self.lead, file, "Wherry of theirs")
        self.assertEqual((taken.name, taken.notes), ("Wherry of theirs", "from the yard"))
        self.assertEqual(taken.motion(), model.motion())
        self.assertEqual(adding.as_file(taken).limits, [TENSION])
        self.refused("out_of_range", "name", adding.take_file, self.lead, file)

    def test_files_that_are_none(self):
        good = json.loads(adding.as_file(self.model()).model_dump_json(exclude_none=True))
        count = PrinterModel.objects.count()

        def take(**change):
            return self.refused(
                "bad_file", "file", adding.take_file, self.lead, json.dumps({**good, "name": "New", **change}).encode()
            )

        self.assertIn("version 99", take(version=99))
        self.assertIn("name", take(name="x" * 61))
        self.assertIn("limits", take(limits=[{"what": "tension"}]))
        self.refused("bad_file", "file", adding.take_file, self.lead, b"\x00\xff")
        self.refused("too_large", "file", adding.take_file, self.lead, b" " * (adding.MOST_FILE_BYTES + 1))
        with self.assertRaises(BadInput):
            adding.take_file(
                self.lead, json.dumps({**good, "name": "New", "description": {"kinematics": "raft"}}).encode()
            )
        self.assertEqual(PrinterModel.objects.count(), count)
        self.assertEqual(Area.objects.count(), 0)
