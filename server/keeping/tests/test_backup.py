"""Everything in one file and back: whole, proven, and only into an empty workshop."""

import json
import os
import subprocess
import sys
import tarfile
import tempfile
import uuid
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

import psycopg
from api.tests.world import ApiCase
from django.core.management import CommandError, call_command
from django.db import transaction
from django.test import TransactionTestCase
from measuring.models import Capture
from measuring.taking import Taken, take_from_stand_in
from people.refusals import Refused

from keeping import backup


class Whole(TransactionTestCase):
    def setUp(self):
        ApiCase.setUpTestData()
        taken = Taken(uuid.uuid4(), "a", "standin")
        with transaction.atomic():
            self.capture = take_from_stand_in(
                ApiCase.crossed.pk, "belt-pluck", ApiCase.people["technician"], taken, {"seconds": 4}
            )
        self.folder = Path(tempfile.mkdtemp())
        (self.folder / "state" / "tls").mkdir(parents=True)
        (self.folder / "state" / "secret-key").write_text("the key")
        (self.folder / "state" / "tls" / "server.key").write_text("another")
        state = self.settings(STATE=self.folder / "state")
        state.enable()
        self.addCleanup(state.disable)
        self.file = self.folder / "kept" / "all.backup"

    def empty(self):
        """Another database, into which is restored; what is asked of ours goes there."""
        name = f"kestov_restored_{uuid.uuid4().hex[:8]}"
        told = psycopg.conninfo.conninfo_to_dict(backup.address())

        def run(sql):
            with psycopg.connect(
                psycopg.conninfo.make_conninfo(**{**told, "dbname": "postgres"}), autocommit=True
            ) as line:
                line.execute(sql)

        run(f"create database {name}")
        self.addCleanup(run, f"drop database {name} with (force)")
        there = mock.patch(
            "keeping.backup.address", return_value=psycopg.conninfo.make_conninfo(**{**told, "dbname": name})
        )
        there.start()
        self.addCleanup(there.stop)
        return backup.address()

    def test_it_comes_back_whole_with_its_keys(self):
        manifest = backup.backup(self.file)
        self.assertEqual(self.file.stat().st_mode & 0o777, 0o600)
        self.assertEqual((manifest["rows"]["measuring_capture"], manifest["rows"]["workshop_printer"]), (1, 2))
        there = self.empty()
        elsewhere = self.folder / "elsewhere"
        with self.settings(STATE=elsewhere):
            self.assertEqual(backup.restore(self.file)["rows"], manifest["rows"])
        self.assertEqual((elsewhere / "secret-key").read_text(), "the key")
        self.assertEqual((elsewhere / "tls" / "server.key").stat().st_mode & 0o777, 0o600)
        with psycopg.connect(there) as line:
            data, told = line.execute("SELECT data, sha256 FROM measuring_capture").fetchone()
        self.assertEqual((bytes(data), told), (bytes(self.capture.data), self.capture.sha256))
        self.assertEqual(backup.damaged(), [])

    def test_not_over_a_workshop_that_is_there(self):
        backup.backup(self.file)
        with self.assertRaises(Refused) as caught:
            backup.restore(self.file)
        self.assertEqual(caught.exception.code, "not_empty")
        self.assertEqual(Capture.objects.count(), 1)

    def test_what_is_no_backup_or_a_damaged_one_is_said(self):
        backup.backup(self.file)
        self.empty()
        none, cut, spoilt, newer = (self.folder / n for n in ("none", "cut", "spoilt", "newer"))
        none.write_text("hello")
        cut.write_bytes(self.file.read_bytes()[: self.file.stat().st_size // 2])
        self.again(spoilt, database=lambda b: b[:-40] + bytes(40))
        self.again(newer, manifest=lambda m: json.dumps({**json.loads(m), "version": 99}).encode())
        for file in (none, cut, spoilt, newer, self.folder / "there-is-none"):
            with self.assertRaises(Refused) as caught:
                backup.restore(file)
            self.assertEqual(caught.exception.code, "not_a_backup", file)
            with self.assertRaises(CommandError):
                call_command("restore", str(file))

    def again(self, file, database=lambda b: b, manifest=lambda b: b):
        """The backup with one of its parts changed."""
        import io

        with tarfile.open(self.file) as old, tarfile.open(file, "w") as new:
            for member in old:
                data = old.extractfile(member).read() if member.isfile() else b""
                change = {"database.dump": database, "manifest.json": manifest}.get(member.name, lambda b: b)
                data = change(data)
                member.size = len(data)
                new.addfile(member, io.BytesIO(data))

    def test_rows_that_did_not_come_back_are_noticed(self):
        backup.backup(self.file)
        short = self.folder / "short"
        self.again(short, manifest=lambda m: m.replace(b'"measuring_capture": 1', b'"measuring_capture": 2'))
        self.empty()
        with self.assertRaises(Refused) as caught:
            backup.restore(short)
        self.assertEqual(caught.exception.code, "not_whole")
        self.assertIn("measuring_capture", caught.exception.detail)

    def test_a_capture_that_is_not_what_its_hash_says_is_found(self):
        backup.backup(self.file)
        there = self.empty()
        backup.restore(self.file)
        with psycopg.connect(there, autocommit=True) as line:
            line.execute("SET session_replication_role = replica")
            line.execute("UPDATE measuring_capture SET data = %s", [b"\x00"])
        self.assertEqual(backup.damaged(), [str(self.capture.pk)])

    def test_a_backup_that_fails_leaves_the_old_one(self):
        self.file.parent.mkdir()
        self.file.write_text("yesterday's")
        with (
            mock.patch("keeping.backup._run", side_effect=Refused(500, "failed", "disk full")),
            self.assertRaises(CommandError),
        ):
            call_command("backup", str(self.file))
        self.assertEqual(self.file.read_text(), "yesterday's")
        self.assertEqual(list(self.file.parent.iterdir()), [self.file])

    def test_one_a_night_of_which_the_newest_stay(self):
        folder, day = self.folder / "nights", datetime(2026, 3, 1, 2, tzinfo=UTC)
        (folder / "kestov-of-mine").mkdir(parents=True)
        for i in range(4):
            backup.nightly(folder, 2, day + timedelta(days=i))
        names = sorted(f.name for f in folder.iterdir())
        self.assertEqual(names, ["kestov-2026-03-03.backup", "kestov-2026-03-04.backup", "kestov-of-mine"])
        with self.assertRaises(CommandError):
            call_command("backup")


class OfOld(TransactionTestCase):
    """What an earlier Kestov has kept comes back in today's, for ever. The files are added, never made anew."""

    DATA = Path(__file__).parent / "data"

    def test_each_is_restored_and_brought_up_to_date(self):
        files = sorted(self.DATA.glob("*.backup"))
        self.assertTrue(files)
        told = psycopg.conninfo.conninfo_to_dict(backup.address())
        for file in files:
            with self.subTest(file=file.name):
                name = f"kestov_of_old_{uuid.uuid4().hex[:8]}"
                postgres = psycopg.conninfo.make_conninfo(**{**told, "dbname": "postgres"})
                with psycopg.connect(postgres, autocommit=True) as line:
                    line.execute(f"create database {name}")
                try:
                    said = self.run_in(name, told, "restore", str(file))
                    self.assertIn("2 machines", said)
                    self.assertEqual(self.run_in(name, told, "demo", "--holds").strip(), "workshop")
                    self.assertEqual(self.run_in(name, told, "migrate", "--check"), "")
                    # What was kept is worked out again by today's core, and the standings follow.
                    self.assertIn("2 standings", self.run_in(name, told, "standings"))
                finally:
                    with psycopg.connect(postgres, autocommit=True) as line:
                        line.execute(f"drop database {name} with (force)")

    def run_in(self, name, told, *words):
        url = f"postgres://{told['user']}:{told.get('password', '')}@{told['host']}:{told['port']}/{name}"
        server = Path(__file__).resolve().parents[2]
        env = {**os.environ, "DATABASE_URL": url, "KESTOV_STATE": tempfile.mkdtemp(), "KESTOV_POOL": "0"}
        done = subprocess.run(
            [sys.executable, "manage.py", *words], cwd=server, env=env, capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        return done.stdout
