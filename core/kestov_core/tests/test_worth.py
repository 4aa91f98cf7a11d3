"""What speaks for giving a machine up: warranty, a fault that comes back, spares, what a repair costs."""

from datetime import date, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from kestov_core.condition.worth import LASTS_YEARS, Known, Mended, reasons
from kestov_core.knowledge import faults

TODAY = date(2026, 5, 20)


def speaks(**known):
    return [r.speaks for r in reasons(Known(**known), TODAY)]


def mended(*days_ago, fault="belt_slack", place="x"):
    return [Mended(fault, place, TODAY - timedelta(days=d)) for d in days_ago]


class Worth(TestCase):
    def test_of_a_sound_machine_nothing_speaks(self):
        self.assertEqual(speaks(), [])
        self.assertEqual(speaks(warranty_until=TODAY, repair=None, another=900), [])

    def test_under_warranty_something_grave_goes_back_until_its_last_day(self):
        self.assertEqual(speaks(warranty_until=TODAY, grave="the driver smokes"), ["warranty"])
        self.assertEqual(speaks(warranty_until=TODAY - timedelta(days=1), grave="the driver smokes"), [])
        # Told that it is over, a young machine is not asked for.
        self.assertEqual(speaks(warranty_until=TODAY - timedelta(days=1), in_use_since=TODAY, grave="x"), [])

    def test_a_nearly_new_one_of_whose_warranty_nobody_told_is_asked_for(self):
        self.assertEqual(speaks(in_use_since=TODAY - timedelta(days=364), grave="a bent screw"), ["warranty"])
        self.assertEqual(speaks(in_use_since=TODAY - timedelta(days=365), grave="a bent screw"), [])

    def test_three_repairs_and_back_again_speak_and_three_that_held_do_not(self):
        complaint = next(f for f, share in faults()["belt_slack"].shows.items() if share >= 0.5)
        other = next(f for f in ("smoke_or_smell", "bare_mains") if f not in faults()["belt_slack"].shows)
        self.assertEqual(speaks(mended=mended(300, 200, 100)), [])
        self.assertEqual(speaks(mended=mended(300, 200, 100), complaints=[other]), [])
        self.assertEqual(speaks(mended=mended(300, 200, 100), complaints=[complaint]), ["returns"])
        self.assertEqual(speaks(mended=mended(300, 200, 100, 5)), ["returns"])
        # At another place it is another one; what lies two years back tells of another machine.
        self.assertEqual(speaks(mended=[*mended(300, 200), *mended(100, 5, place="y")]), [])
        self.assertEqual(speaks(mended=mended(900, 800, 100, 5)), [])

    def test_words_name_fault_place_and_since_when(self):
        words = reasons(Known(mended=mended(300, 200, 100, 5)), TODAY)[0].words
        self.assertIn(faults()["belt_slack"].label, words)
        self.assertIn(f"at X: mended 4 times since {TODAY - timedelta(days=300):%-d %B %Y}", words)

    @given(st.floats(1, 1e5), st.floats(0, 1e5), st.floats(0.5, 30))
    def test_a_repair_is_dear_where_it_costs_more_than_a_year_of_another(self, another, repair, years):
        found = speaks(another=another, repair=repair, lasts_years=years)
        self.assertEqual(found, ["dear"] if repair > another / years else [])

    def test_of_money_that_is_not_known_nothing_is_said(self):
        self.assertEqual(speaks(repair=1e6), [])
        self.assertEqual(speaks(another=1.0), [])
        self.assertEqual(speaks(another=100.0, faults_cost=100 / LASTS_YEARS), [])
        self.assertEqual(speaks(another=100.0, faults_cost=100 / LASTS_YEARS + 1), ["dear"])

    def test_amounts_are_said_no_finer_than_they_are_known(self):
        words = reasons(Known(repair=243.77, another=750.0), TODAY, "crowns")[0].words
        self.assertIn("about 240 crowns", words)
        self.assertIn("about 150 crowns", words)

    def test_each_part_without_a_spare_is_named(self):
        words = [r.words for r in reasons(Known(without_spare=["Nozzle", "Carriage X"]), TODAY)]
        self.assertEqual([w.split(" wants")[0] for w in words], ["Nozzle", "Carriage X"])
