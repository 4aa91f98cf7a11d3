"""Where an instrument may be: in the workshop's own network, or where who runs it has said."""

from unittest import mock

from django.test import SimpleTestCase, override_settings
from kestov_core.errors import BadInput

from measuring.accelerometer import reachable


def found(*addresses):
    return mock.patch("socket.getaddrinfo", return_value=[(2, 1, 6, "", (a, 8790)) for a in addresses])


@override_settings(INSTRUMENTS=["127.0.0.1:8790"])
class Where(SimpleTestCase):
    def refused(self, address, code="out_of_range"):
        with self.assertRaises(BadInput) as caught:
            reachable(address)
        self.assertEqual((caught.exception.code, caught.exception.field), (code, "instrument_id"))

    def test_the_workshops_own_ranges(self):
        for address in ("192.168.1.20", "10.3.2.1", "172.16.0.9"):
            self.assertEqual(reachable(f"{address}:8790"), (address, 8790))

    def test_never_this_machine_nor_the_world(self):
        for address in (
            "127.0.0.1:5432",
            "localhost:8701",
            "0.0.0.0:80",
            "169.254.169.254:80",
            "8.8.8.8:53",
            "224.0.0.1:99",
        ):
            self.refused(address)

    def test_a_name_that_means_several_must_mean_good_ones_alone(self):
        with found("192.168.1.20", "127.0.0.1"):
            self.refused("shaker.local:8790")
        with found("::ffff:127.0.0.1"):
            self.refused("shaker.local:8790")
        with found("192.168.1.20"):
            self.assertEqual(reachable("shaker.local:8790"), ("192.168.1.20", 8790))

    def test_what_was_named_is_let_and_only_that(self):
        self.assertEqual(reachable("127.0.0.1:8790"), ("127.0.0.1", 8790))
        self.refused("127.0.0.1:8791")

    def test_a_name_that_nobody_has(self):
        with mock.patch("socket.getaddrinfo", side_effect=OSError):
            self.refused("nowhere.invalid:1", "instrument_silent")
