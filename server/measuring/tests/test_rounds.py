"""Rounds derived from the record, what turning has taught, the recording in pieces, and where limits come from."""

import uuid
from datetime import timedelta
from unittest import mock

import numpy as np
from api.tests.world import ApiCase, recording
from kestov_core.errors import BadInput
from kestov_core.simulator.sound import Belt, Pluck, Room, record
from people.clock import at, now
from work import kinds
from workshop.models import Limit

from measuring import recording as live
from measuring.models import Action, Capture, Chunk
from measuring.rounds import (
    LEARNED_CASES,
    SITTING,
    Round,
    current_round,
    history,
    places_of,
    rounds,
    set_belts,
    target_of,
)


class Rounds(ApiCase):
    def turn(self, place, turns, case=None):
        body = {"place": place, "turns": turns, "case_id": case}
        return self.good("technician", "POST", f"/printers/{self.crossed.pk}/turns", body)

    def test_a_round_ends_with_a_turn(self):
        for place in ("a", "b"):
            self.stand_in(place)
        self.assertEqual(current_round(self.crossed, "a", None), 1)
        self.turn("a", 0.5)
        self.assertEqual(current_round(self.crossed, "b", None), 2)
        self.stand_in("b")
        past = rounds(self.crossed, ["a", "b"], None)
        self.assertEqual(
            [(r.number, sorted(r.readings), len(r.actions)) for r in past], [(1, ["a", "b"], 1), (2, ["b"], 0)]
        )

    def test_the_newest_reading_of_a_round_counts(self):
        self.stand_in("a")
        last = self.stand_in("a")
        only = rounds(self.crossed, ["a", "b"], None)[0]
        self.assertEqual(str(only.readings["a"].capture.pk), last["id"])

    def test_without_a_case_a_sitting_ends_after_some_hours(self):
        with at(now() - SITTING - timedelta(hours=1)):
            self.stand_in("a")
        self.assertEqual(rounds(self.crossed, ["a", "b"], None), [])
        self.assertEqual(current_round(self.crossed, "a", None), 1)

    def test_its_own_best_is_the_target_after_the_makers_and_before_what_is_typical(self):
        rows = [
            {"turns_total": t, "ripple_mm": 0.05 + 0.03 * (t - 1.5) ** 2, "tension_n": 30 + 4 * t} for t in (0, 1, 2, 3)
        ]
        body = {"id": str(uuid.uuid4()), "place": "y", "context": {"tried": rows}}
        found = self.good("technician", "POST", f"/printers/{self.slinger.pk}/belt-ladder", body)["found"]
        self.assertTrue(found["best_known"])
        # The model's limit is only typical there.
        low, high, source = target_of(self.slinger, "y")
        self.assertEqual(source, "its own best")
        self.assertAlmostEqual((low + high) / 2, 36.0, places=3)
        body |= {"id": str(uuid.uuid4()), "place": "x"}
        self.good("technician", "POST", f"/printers/{self.slinger.pk}/belt-ladder", body)
        self.assertEqual(target_of(self.slinger, "x")[2], "workshop, from this model's best")

    def test_what_turning_came_to_is_told_of_the_belt_that_was_turned(self):
        def courses():
            told = self.good("technician", "GET", f"/printers/{self.crossed.pk}/rounds?place=a")["courses"]
            return {c["place"]: c["course"]["state"] for c in told}

        for place in ("a", "b"):
            self.stand_in(place)
        self.assertEqual(courses(), {})
        # Belt A is slack: slackening it is the wrong way.
        self.turn("a", -0.5)
        for place in ("a", "b"):
            self.stand_in(place)
        self.assertEqual(courses(), {"a": "worse"})
        self.turn("a", 1.0)
        for place in ("a", "b"):
            self.stand_in(place)
        self.assertEqual(courses(), {"a": "helps"})

    def test_a_case_has_its_own_rounds(self):
        case = self.report()
        self.stand_in("a", case)
        self.assertEqual(rounds(self.crossed, ["a", "b"], None), [])
        self.assertEqual(
            len(self.good("technician", "GET", f"/printers/{self.crossed.pk}/rounds?place=b&case_id={case}")["rounds"]),
            1,
        )

    def test_what_a_turn_did_is_learned_and_the_belt_left_alone_shows_the_coupling(self):
        for place in ("a", "b"):
            self.stand_in(place)
        self.turn("a", 0.5)
        for place in ("a", "b"):
            self.stand_in(place)
        rows = history(self.crossed, ["a", "b"])
        self.assertEqual([(r["id"], r["turns"]) for r in rows], [("a", 0.5), ("b", 0)])
        self.assertGreater(rows[0]["after_n"], rows[0]["before_n"] + 3)
        self.assertLess(rows[1]["after_n"], rows[1]["before_n"])
        advice = set_belts(self.crossed, ["a", "b"], rounds(self.crossed, ["a", "b"], None)[-1])
        gain = next(b for b in advice.belts if b.id == "a").newtons_per_turn
        self.assertAlmostEqual(gain.value, (rows[0]["after_n"] - rows[0]["before_n"]) / 0.5, delta=1.5)
        self.assertGreater(advice.coupling, 0.02)

    def test_it_is_learned_from_the_newest_cases_and_from_no_more_than_belt_set_takes(self):
        cases = [self.report() for _ in range(LEARNED_CASES + 2)]
        Action.objects.bulk_create(
            Action(printer=self.crossed, case_id=c, place="a", kind="turn_tensioner", turns=0.5, round=1, at=now())
            for c in cases
        )
        asked = []

        def many(printer, places, case_id):
            asked.append(case_id)
            reading = mock.Mock(tension={"value": 30.0, "own": 0.5})
            turn = mock.Mock(place="a", turns=0.1)
            return [Round(n, {"a": reading, "b": reading}, [turn]) for n in range(60)]

        with mock.patch("measuring.rounds.rounds", many):
            rows = history(self.crossed, ["a", "b"])
        self.assertEqual(asked, [*cases[2:], None])
        self.assertEqual(len(rows), 500)
        self.assertEqual([r["id"] for r in rows[:2]], ["a", "b"])

    def test_pairs_are_set_together_and_single_belts_alone(self):
        self.assertEqual(places_of(self.crossed, "b"), ["a", "b"])
        self.assertEqual(places_of(self.slinger, "x"), ["x"])

    def test_a_limit_comes_from_the_model_or_is_typical_and_says_so(self):
        low, high, source = target_of(self.crossed, "a")
        self.assertEqual((low, high), (24, 36))
        self.assertIn("manual", source)
        Limit.objects.filter(model=self.crossed.model).delete()
        self.assertEqual(target_of(self.crossed, "a"), (20, 50, "typical"))


class Live(ApiCase):
    def add(self, id_, number, samples, rate=16000, who="technician"):
        return live.add(id_, number, rate, samples, self.people[who])

    def test_pieces_join_in_order_whatever_their_way(self):
        samples = (recording().samples * 32767).astype("<i2")
        pieces = [p.tobytes() for p in np.array_split(samples, 4)]
        id_ = uuid.uuid4()
        for number in (2, 0, 3, 0, 1):
            self.add(id_, number, pieces[number])
        wav = live.assemble(id_, 4, self.people["technician"])
        np.testing.assert_array_equal(np.frombuffer(wav[-2 * len(samples) :], dtype="<i2"), samples)

    def test_a_gap_is_waited_for(self):
        id_ = uuid.uuid4()
        self.add(id_, 0, b"\0\0" * 100)
        self.add(id_, 2, b"\0\0" * 100)
        self.assertEqual(live.hear_so_far(id_, self.people["technician"])["chunks"], 1)
        with self.assertRaises(BadInput):
            live.assemble(id_, 3, self.people["technician"])

    def test_what_is_no_recording_is_refused(self):
        id_ = uuid.uuid4()
        for number, rate, data, field in (
            (0, 4000, b"\0\0", "rate_hz"),
            (0, 16000, b"", "samples"),
            (0, 16000, b"\0", "samples"),
            (-1, 16000, b"\0\0", "number"),
            (100000, 16000, b"\0\0" * 4000, "number"),
        ):
            with self.assertRaises(BadInput) as e:
                self.add(id_, number, data, rate)
            self.assertEqual(e.exception.field, field)
        self.assertEqual(Chunk.objects.count(), 0)

    def test_nobody_hears_anothers_recording(self):
        id_ = uuid.uuid4()
        self.add(id_, 0, b"\0\0" * 100)
        with self.assertRaises(BadInput):
            live.assemble(id_, 1, self.people["lead"])

    def test_pieces_that_were_forgotten_go_after_two_hours(self):
        id_ = uuid.uuid4()
        with at(now() - timedelta(hours=3)):
            self.add(id_, 0, b"\0\0" * 100)
        self.add(uuid.uuid4(), 0, b"\0\0" * 100)
        self.assertIn(live.sweep, kinds.sweeps())
        self.assertEqual((live.sweep(), Chunk.objects.count()), (1, 1))

    def test_too_little_is_no_error_yet(self):
        id_, who = uuid.uuid4(), self.people["technician"]
        self.assertEqual(live.hear_so_far(id_, who)["plucks"], [])
        self.add(id_, 0, b"\0\0" * 1600)
        heard = live.hear_so_far(id_, who)
        self.assertEqual((heard["seconds"], heard["frequency"]), (0.1, None))

    def pieces(self, seconds, rate=8000):
        """A belt that is plucked every second, in pieces of a second."""
        struck = [Pluck(at_s=0.3 + i) for i in range(seconds)]
        sound = record(Belt(f0_hz=100.0), struck, float(seconds), rate, Room(hiss=0.001), seed=3)
        return [p.tobytes() for p in np.array_split((sound.samples * 32767).astype("<i2"), seconds)]

    def test_only_the_newest_sound_is_heard_again_and_what_was_heard_stays(self):
        from kestov_core.signals.plucks import hear

        id_, lengths = uuid.uuid4(), []

        def listening(samples, rate, *more):
            lengths.append(len(samples) / rate)
            return hear(samples, rate, *more)

        with mock.patch("kestov_core.signals.plucks.hear", listening):
            for number, piece in enumerate(self.pieces(30)):
                self.add(id_, number, piece, 8000)
                heard = live.hear_so_far(id_, self.people["technician"])
        self.assertLessEqual(max(lengths), live.WINDOW_S + 1)
        self.assertEqual(heard["seconds"], 30)
        self.assertEqual(sum(p["used"] for p in heard["plucks"]), 30)
        at_s = [p["at_s"] for p in heard["plucks"]]
        np.testing.assert_allclose(at_s, 0.3 + np.arange(30), atol=0.05)
        self.assertAlmostEqual(heard["frequency"]["value"], 100, delta=0.3)

    def test_a_recording_has_an_end(self):
        id_, second = uuid.uuid4(), b"\0\0" * 8000
        for number in range(live.MOST_SECONDS):
            self.add(id_, number, second, 8000)
        with self.assertRaises(BadInput) as caught:
            for number in range(live.MOST_SECONDS, live.MOST_SECONDS + 10):
                self.add(id_, number, second, 8000)
        self.assertEqual(caught.exception.code, "too_large")
        self.assertLess(Chunk.objects.count(), live.MOST_SECONDS + 5)


class Kept(ApiCase):
    def test_a_capture_is_small_in_the_database_and_whole_outside(self):
        capture = Capture.objects.get(pk=self.stand_in("a")["id"])
        self.assertLess(len(bytes(capture.data)), capture.data_bytes)
        self.assertEqual(len(capture.raw()), capture.data_bytes)
        self.assertEqual(capture.raw()[:4], b"RIFF")
        self.assertEqual(len(capture.sha256), 64)
