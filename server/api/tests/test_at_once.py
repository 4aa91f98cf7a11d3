"""What two people do at the same moment: on real connections, one after the other is let in, and nothing happens twice."""

import threading

from demo.models_of_printers import MODELS
from django.db import connection
from django.test import TransactionTestCase
from people.models import Role, User
from people.refusals import Refused
from service import stores
from service.models import Stock
from workshop import components, meters
from workshop.models import Area, Component, Deed, PartType, Printer, PrinterModel, fit_out


class AtOnce(TransactionTestCase):
    def setUp(self):
        self.people = [User.objects.create(username=f"tech{i}", name=f"T {i}", role=Role.TECHNICIAN) for i in range(4)]
        row = MODELS[1]
        model = PrinterModel.objects.create(name=row["name"], description=row["description"])
        area = Area.objects.create(name="Long walk")
        self.here, self.there = (Printer.objects.create(name=n, model=model, area=area) for n in ("Halyard", "Carrick"))
        for printer in (self.here, self.there):
            fit_out(printer)

    def part(self, printer, kind="nozzle", place="e"):
        return Component.objects.get(printer=printer, kind=kind, place=place, removed_on=None)

    def all_at_once(self, *acts):
        """Do all of them at one moment, each on a connection of its own; what each ended with."""
        ended, gate = [None] * len(acts), threading.Barrier(len(acts))

        def run(i, act):
            try:
                gate.wait(60)
                act(self.people[i])
                ended[i] = "done"
            except Refused as e:
                ended[i] = e.code
            except Exception as e:
                ended[i] = repr(e)
            finally:
                connection.close()

        threads = [threading.Thread(target=run, args=(i, act)) for i, act in enumerate(acts)]
        for t in threads:
            t.start()
        for t in threads:
            t.join(120)
        return ended

    def test_a_part_is_replaced_once(self):
        old = self.part(self.here)
        ended = self.all_at_once(*[lambda who: components.replace(old.pk, "worn", "", who)] * 4)
        self.assertEqual(sorted(ended), ["done", "taken_out", "taken_out", "taken_out"])
        self.assertEqual(Component.objects.filter(printer=self.here, kind="nozzle", removed_on=None).count(), 1)
        self.assertEqual(Deed.objects.filter(component=old, did="taken_out").count(), 1)

    def test_an_empty_position_is_filled_once(self):
        Component.objects.filter(printer=self.here, kind="nozzle").delete()
        ended = self.all_at_once(*[lambda who: components.fit(self.here.pk, "nozzle", "e", who)] * 4)
        self.assertEqual(sorted(ended), ["done", "taken", "taken", "taken"])
        self.assertEqual(Component.objects.filter(printer=self.here, kind="nozzle", removed_on=None).count(), 1)

    def test_moved_one_way_and_the_other_neither_waits_for_ever_nor_is_lost(self):
        a, b = self.part(self.here), self.part(self.there)
        ended = self.all_at_once(
            lambda who: components.move(a.pk, b.pk, who), lambda who: components.move(b.pk, a.pk, who)
        )
        self.assertEqual(sorted(ended), ["done", "taken_out"])
        for printer in (self.here, self.there):
            count = Component.objects.filter(printer=printer, kind="nozzle", removed_on=None).count()
            self.assertLessEqual(count, 1)
        self.assertEqual(Component.objects.filter(kind="nozzle", removed_on=None).count(), 1)

    def test_the_last_one_of_a_drawer_is_fitted_once(self):
        kind = PartType.objects.create(name="Brass nozzle", kind="nozzle")
        drawer = stores.keep(self.people[0], kind.pk, "B4", 0, 14, None)
        stores.count(self.people[0], drawer.pk, 1)
        parts = [self.part(p).pk for p in (self.here, self.there)]
        ended = self.all_at_once(
            *[lambda who, pk=pk: components.replace(pk, "worn", "", who, type_id=kind.pk) for pk in parts]
        )
        self.assertEqual(sorted(ended), ["done", "none_left"])
        self.assertEqual(Stock.objects.get().here, 0)
        self.assertEqual(Component.objects.filter(type=kind, removed_on=None).count(), 1)

    def test_what_comes_is_put_into_the_drawer_once(self):
        kind = PartType.objects.create(name="Brass nozzle", kind="nozzle")
        drawer = stores.keep(self.people[0], kind.pk, "B4", 0, 14, None)
        made = stores.order(self.people[0], drawer.pk, 3)
        ended = self.all_at_once(*[lambda who: stores.receive(who, made.pk, 3)] * 3)
        self.assertEqual(sorted(ended), ["done", "ended", "ended"])
        self.assertEqual(Stock.objects.get().here, 3)

    def test_a_meter_takes_readings_one_after_the_other(self):
        meters.read(self.here, 10.0, self.people[0])
        ended = self.all_at_once(*[lambda who, h=h: meters.read(self.here, h, who) for h in (10.2, 10.4, 10.6, 10.8)])
        self.assertIn("done", ended)
        self.assertLessEqual(set(ended), {"done", "out_of_range", "too_late"})
        rows = [r.hours for r in self.here.meter_readings.order_by("at", "id")]
        self.assertEqual(rows, sorted(rows))
