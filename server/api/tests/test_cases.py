"""Reporting, danger, pictures, and closing with proof."""

import io
import json
import time
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

from django.db import transaction
from PIL import Image
from workshop import pictures
from workshop.models import Printer

from .world import ApiCase


def picture(kind="JPEG", size=(800, 600), **more):
    out = io.BytesIO()
    Image.new("RGB", size, (90, 120, 110)).save(out, kind, **more)
    out.seek(0)
    out.name = f"wall.{kind.lower()}"
    return out


class Reporting(ApiCase):
    def test_a_member_reports_and_a_technician_takes_it(self):
        case = self.report()
        seen = self.good("technician", "GET", f"/cases/{case}")
        self.assertEqual(
            (seen["state"], seen["step"]["kind"], seen["observations"][0]["axis"]), ("reported", "take", "x")
        )
        taken = self.good("technician", "POST", f"/cases/{case}/take")
        self.assertEqual((taken["state"], taken["taken_by"]), ("in_work", "Technician"))

    def test_what_is_not_listed_is_refused_at_its_field(self):
        body = {"printer_id": self.crossed.pk, "finding": "sings", "axis": "x"}
        self.refused(422, "out_of_range", "finding", "member", "POST", "/cases", body)
        body |= {"finding": "squeak", "axis": "q"}
        self.refused(422, "out_of_range", "axis", "member", "POST", "/cases", body)
        self.assertEqual(self.call("member", "POST", "/cases", {**body, "printer_id": 999})[0], 404)

    def test_danger_tags_the_machine_out_at_once(self):
        case = self.report(finding="smoke_or_smell", axis="")
        self.assertEqual(self.good("technician", "GET", f"/cases/{case}")["step"]["kind"], "danger")
        printer = self.good("member", "GET", f"/printers/{self.crossed.pk}")
        self.assertEqual(printer["condition"]["fitness"], "tagged_out")
        self.assertEqual(self.call("member", "DELETE", f"/printers/{self.crossed.pk}/tag-out")[0], 403)

    def test_search_finds_words_of_the_cause_and_of_comments(self):
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/comments", {"words": "It buzzed at 40 mm/s last year, too."})
        found = self.good("technician", "GET", "/cases?state=all&search=buzzed")
        self.assertEqual([c["id"] for c in found], [case])
        self.assertEqual(self.good("technician", "GET", "/cases?search=walrus"), [])
        self.assertEqual([c["id"] for c in self.good("technician", "GET", "/cases?search=ripple")], [case])
        self.assertEqual(self.good("technician", "GET", "/cases?search=squeal"), [])


class Pictures(ApiCase):
    def add(self, file):
        case = self.report()
        return self.call("member", "POST", f"/cases/{case}/pictures", file=file, words="The long face")

    def test_it_is_read_by_content_and_made_small(self):
        status, case = self.add(picture("PNG", (3000, 1500)))
        self.assertEqual(status, 200)
        self.assertEqual((case["pictures"][0]["width"], case["pictures"][0]["height"]), (2000, 1000))
        data = self.good("member", "GET", f"/pictures/{case['pictures'][0]['id']}")
        self.assertEqual(data[:2], b"\xff\xd8")
        self.assertEqual(self.call("other", "GET", f"/pictures/{case['pictures'][0]['id']}")[0], 403)

    def test_one_taken_over_another_says_which_and_how_it_lies(self):
        case = self.add(picture())[1]
        path, first = f"/cases/{case['id']}/pictures", case["pictures"][0]["id"]
        fit = {"right": 0.1, "down": -0.05, "size": 1.2, "turn": 3.0}
        case = self.good("member", "POST", path, file=picture(), before=first, fit=json.dumps(fit))
        second = case["pictures"][1]
        self.assertEqual((case["pictures"][0]["before"], second["before"], second["fit"]), (None, first, fit))
        self.assertIn("Picture from the same place as before", [x["words"] for x in case["log"]])
        # A third over the second is held against the first.
        third = self.good("member", "POST", path, file=picture(), before=second["id"])["pictures"][2]
        self.assertEqual((third["before"], third["fit"]["size"]), (first, 1.0))

    def test_one_of_another_case_or_out_of_all_measure_is_refused(self):
        case, other = self.add(picture())[1], self.add(picture())[1]
        post = ("member", "POST", f"/cases/{case['id']}/pictures")
        self.refused(422, "out_of_range", "before", *post, file=picture(), before=other["pictures"][0]["id"])
        self.refused(422, "out_of_range", "size", *post, file=picture(), fit='{"size": 9}')
        self.refused(422, "wrong_type", None, *post, file=picture(), fit="{")

    def test_where_it_was_taken_does_not_come_along(self):
        exif = Image.Exif()
        exif[0x010E] = "the yard behind the rope-walk"
        case = self.add(picture(exif=exif))[1]
        data = self.good("member", "GET", f"/pictures/{case['pictures'][0]['id']}")
        self.assertNotIn(b"rope-walk", data)

    def test_a_small_file_that_holds_a_large_picture_is_refused_before_it_is_opened(self):
        file = picture("PNG", (6000, 5000))
        self.assertLess(len(file.getvalue()), 200_000)
        with mock.patch("PIL.Image.Image.load", side_effect=AssertionError("opened")):
            status, answer = self.add(file)
        self.assertEqual((status, answer["code"], answer["field"]), (413, "too_large", "file"))

    def test_nothing_of_the_record_is_held_while_it_is_opened(self):
        case, held = self.report(), []

        def look(data):
            held.append(transaction.get_connection().savepoint_ids[:])
            return pictures.read_picture(data)

        before = transaction.get_connection().savepoint_ids[:]
        with mock.patch("api.cases.read_picture", look):
            self.assertEqual(self.call("member", "POST", f"/cases/{case}/pictures", file=picture(), words="")[0], 200)
        self.assertEqual(held, [before])

    def test_one_is_opened_at_a_time(self):
        at_work, most = [], []

        def slow(*_, **__):
            at_work.append(1)
            most.append(len(at_work))
            time.sleep(0.02)
            at_work.pop()

        with mock.patch("PIL.Image.Image.thumbnail", slow), ThreadPoolExecutor(4) as pool:
            list(pool.map(lambda _: pictures.read_picture(picture().getvalue()), range(6)))
        self.assertEqual(most, [1] * 6)

    def test_what_is_no_picture_is_refused(self):
        for data, code in (
            (b"", "empty_file"),
            (b"<svg/>", "not_a_picture"),
            (picture().getvalue()[:200], "not_a_picture"),
        ):
            file = io.BytesIO(data)
            file.name = "wall.jpg"
            status, answer = self.add(file)
            self.assertIn((status, answer["code"]), ((422, code), (422, "out_of_range")))


class Closing(ApiCase):
    def test_verified_needs_proof(self):
        case = self.report()
        path = f"/cases/{case}/close"
        self.refused(422, "missing_field", "cause", "technician", "POST", path, {"closing": "verified"})
        self.refused(409, "not_proven", "closing", "technician", "POST", path, {"closing": "verified", "cause": "?"})
        kept = self.good("technician", "POST", path, {"closing": "not_verified", "cause": "Mount loose"})
        self.assertEqual(kept["state"], "not_verified")
        seen = {"finding": "echoes_after_corners", "axis": "x", "state": "absent", "note": "Printed the lid again"}
        self.good("technician", "POST", f"/cases/{case}/observations", seen)
        closed = self.good("technician", "POST", path, {"closing": "verified", "cause": "Mount loose"})
        self.assertEqual(closed["state"], "closed")
        self.refused(409, "closed", None, "technician", "POST", path, {"closing": "harmless"})
        self.assertEqual(self.good("technician", "POST", f"/cases/{case}/reopen")["state"], "in_work")

    def test_a_machine_with_an_open_case_in_work_is_in_service(self):
        case = self.report()
        self.good("technician", "POST", f"/cases/{case}/take")
        printer = self.good("member", "GET", f"/printers/{self.crossed.pk}")
        self.assertEqual(printer["condition"]["fitness"], "in_service")
        self.assertEqual(Printer.objects.get(pk=self.crossed.pk).tagged_out or "", "")
