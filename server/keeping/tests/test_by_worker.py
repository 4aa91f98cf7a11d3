"""Backups that a worker writes: where it was given a folder, and not elsewhere."""

import tempfile
from pathlib import Path

from api.tests.world import ApiCase
from procrastinate.contrib.django.models import ProcrastinateJob
from work import doing
from work.models import Work

from keeping import by_worker
from keeping.models import BackupMade


class ByWorker(ApiCase):
    def test_without_a_folder_it_says_so(self):
        with self.settings(BACKUPS=None):
            work = self.good("lead", "POST", "/works/backup")["id"]
            self.do_work(work)
        told = self.good("lead", "GET", f"/works/{work}")
        self.assertEqual(told["state"], "failed")
        self.assertIn("--backups FOLDER", told["said"])
        # Only workers that have a folder take it from the queue.
        self.assertEqual(ProcrastinateJob.objects.get().queue_name, by_worker.QUEUE)

    def test_every_night_one_however_often_the_clock_strikes(self):
        for _ in range(2):
            by_worker.nightly(0)
        self.assertEqual([w.told for w in Work.objects.all()], [{"nightly": True}])
        folder = Path(tempfile.mkdtemp())
        with self.settings(BACKUPS=folder, BACKUPS_KEPT=2):
            doing.run(Work.objects.get().pk)
        work = Work.objects.get()
        # The test's own rows are in a transaction that no backup sees; that a file is whole is tried in test_backup.
        self.assertEqual(work.state, "done", work.said)
        self.assertEqual([f.name for f in folder.iterdir()], [Path(work.found["file"]).name])
        self.assertEqual(BackupMade.objects.get().file, work.found["file"])
