"""How Kestov is: each line says what is wrong, and what to do."""

import io
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from django.core.management import call_command
from django.db import OperationalError, connection
from django.test import Client, TestCase
from work.doing import ask
from work.models import Work

from keeping import doctor
from keeping.models import BackupMade


class Doctor(TestCase):
    def setUp(self):
        self.state = Path(tempfile.mkdtemp())
        state = self.settings(STATE=self.state)
        state.enable()
        self.addCleanup(state.disable)

    def line(self, what, moment=None):
        return next(x for x in doctor.look(moment) if x.what == what)

    def backed_up(self, days):
        BackupMade.objects.all().delete()
        BackupMade.objects.create(file="/kept/all", host="weir", size=1, at=datetime.now(UTC) - timedelta(days=days))

    def a_worker(self):
        with connection.cursor() as cursor:
            cursor.execute("INSERT INTO procrastinate_workers DEFAULT VALUES")

    def test_a_backup_that_is_missing_or_old_wants_mending(self):
        self.assertEqual(self.line("Backup").state, "mend")
        self.backed_up(1)
        self.assertEqual(self.line("Backup").state, "well")
        self.backed_up(3)
        found = self.line("Backup")
        self.assertEqual((found.state, "3.0 days" in found.words, bool(found.do)), ("mend", True, True))

    def test_a_queue_that_nobody_works_at_or_where_something_failed(self):
        self.assertIn("0 workers, 0 waiting", self.line("Queue").words)
        self.assertEqual(self.line("Queue").state, "mend")
        self.a_worker()
        self.assertEqual(self.line("Queue").state, "well")
        ask("standings", "Make all anew", None, {})
        self.assertEqual(self.line("Queue").state, "well")
        self.assertEqual(self.line("Queue", datetime.now(UTC) + timedelta(seconds=15)).state, "well")
        with mock.patch.object(doctor, "workers", return_value=1):
            self.assertEqual(self.line("Queue", datetime.now(UTC) + timedelta(minutes=11)).state, "mend")
        Work.objects.update(state="failed", ended_at=datetime.now(UTC))
        found = self.line("Queue")
        self.assertEqual((found.state, "1 failed" in found.words), ("look", True))

    def test_a_full_disk(self):
        usage = mock.Mock(free=10_000_000)
        with mock.patch("shutil.disk_usage", return_value=usage):
            self.assertEqual(self.line("Disk").state, "mend")
        self.assertEqual(
            self.line("Disk").state, "well" if doctor.shutil.disk_usage(self.state).free > 1 << 30 else "mend"
        )

    def test_a_certificate_that_runs_out(self):
        from datetime import datetime as real

        from cryptography import x509
        from cryptography.hazmat.primitives import hashes, serialization
        from cryptography.hazmat.primitives.asymmetric import ec

        self.assertIn("none of our own", self.line("Certificate").words)
        key, name = ec.generate_private_key(ec.SECP256R1()), x509.Name([])
        now = real.now(UTC)
        made = (
            x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key()).serial_number(1)
            .not_valid_before(now).not_valid_after(now + timedelta(days=100)).sign(key, hashes.SHA256())
        )  # fmt: skip
        (self.state / "tls").mkdir()
        (self.state / "tls" / "server.crt").write_bytes(made.public_bytes(serialization.Encoding.PEM))
        for days, state in ((0, "well"), (85, "look"), (101, "mend")):
            self.assertEqual(self.line("Certificate", now + timedelta(days=days)).state, state, days)

    def test_a_clock_that_is_off(self):
        with mock.patch("keeping.doctor.MOST_DRIFT_S", -1.0):
            self.assertEqual(self.line("Clock").state, "mend")
        self.assertEqual(self.line("Clock").state, "well")

    def test_a_database_that_is_away_is_a_line_and_no_traceback(self):
        with mock.patch(
            "django.db.backends.base.base.BaseDatabaseWrapper.cursor", side_effect=OperationalError("gone")
        ):
            found = {x.what: x for x in doctor.look()}
        self.assertEqual((found["Database"].state, found["Clock"].state), ("mend", "mend"))
        self.assertIn("./kestov start", found["Database"].do)

    def test_the_command_ends_with_one_where_somebody_must_act(self):
        out = io.StringIO()
        with self.assertRaises(SystemExit):
            call_command("doctor", stdout=out)
        self.assertRegex(out.getvalue(), r"mend  Backup: .* → ")
        self.backed_up(0)
        self.a_worker()
        with mock.patch("keeping.doctor.LEAST_FREE", 0):
            call_command("doctor", stdout=out)

    def test_proxies_and_monitors_are_told_in_one_line(self):
        self.assertEqual(Client().get("/api/health").json(), {"ok": True})
        with (
            mock.patch("api.session.connection.cursor", side_effect=OperationalError("gone")),
            self.assertLogs("kestov.failed", "WARNING"),
        ):
            self.assertEqual(Client().get("/api/health").status_code, 503)
