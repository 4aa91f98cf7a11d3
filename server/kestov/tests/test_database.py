"""The line to the database: a host whose plug was pulled is missed soon, on either side."""

from django.db import connection
from django.test import TestCase


class Lines(TestCase):
    def test_the_database_lets_go_what_a_lost_host_held(self):
        with connection.cursor() as cursor:
            for name, soon in (
                ("tcp_keepalives_idle", "5"),
                ("tcp_keepalives_interval", "3"),
                ("tcp_keepalives_count", "3"),
                ("idle_in_transaction_session_timeout", "30s"),
                ("client_connection_check_interval", "5s"),
            ):
                cursor.execute(f"SHOW {name}")
                self.assertEqual(cursor.fetchone(), (soon,), name)

    def test_a_lost_database_is_missed_soon(self):
        told = connection.get_connection_params()
        self.assertLessEqual(told["keepalives_idle"] + told["keepalives_interval"] * told["keepalives_count"], 15)
        self.assertLessEqual(told["tcp_user_timeout"], 15_000)
