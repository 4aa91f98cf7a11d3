"""The stand-in of a mail server: takes every letter, keeps the newest as files."""

from __future__ import annotations

import smtplib
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import mail_stand_in
from cluster import free_port


class MailStandIn(unittest.TestCase):
    def test_letters_are_kept_as_they_came_and_only_the_newest(self) -> None:
        folder, port = Path(tempfile.mkdtemp()) / "mail", free_port(8850)
        with mock.patch.object(mail_stand_in, "KEPT", 2):
            controller = mail_stand_in.serve("127.0.0.1", port, folder)
            try:
                for i in range(3):
                    with smtplib.SMTP("127.0.0.1", port, timeout=60) as line:
                        line.sendmail("kestov@walk", ["wen@walk"], f"Subject: Week {i}\r\n\r\nBowline is fit.\r\n")
            finally:
                controller.stop()
        kept = [f.read_text() for f in sorted(folder.glob("*.eml"))]
        self.assertEqual([k.splitlines()[0] for k in kept], ["Subject: Week 1", "Subject: Week 2"])
        self.assertIn("Bowline is fit.", kept[0])
