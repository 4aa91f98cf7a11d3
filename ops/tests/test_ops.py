"""The one command: what it says, the certificate it makes, the ports it takes, and how it sets up."""

from __future__ import annotations

import argparse
import datetime
import io
import ipaddress
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Callable
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import parts
import setup
import start
import test_all
import tls
from cluster import Cluster, free_port, port_is_free
from cryptography import x509
from cryptography.hazmat.primitives.asymmetric import ec
from words import Trouble, explain, run


class Parts(unittest.TestCase):
    """What runs beside the start command."""

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.note = self.folder / "web.pid"

    def sleeping(self, *more: str) -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)", *more], start_new_session=True)

    def ended(self, pid: int) -> bool:
        for _ in range(600):
            if parts._state(pid) == "Z":
                return True
            time.sleep(0.1)
        return False

    def test_what_ends_by_itself_is_started_again(self) -> None:
        part = parts.Part("The web server", self.sleeping, self.note)
        part.start()
        self.addCleanup(part.stop)
        assert part.process
        first = part.process.pid
        self.assertEqual(self.note.read_text(), str(first))
        part.keep()
        self.assertEqual(part.process.pid, first)
        part.process.kill()
        part.process.wait()
        with redirect_stderr(io.StringIO()) as said:
            part.keep()
        self.assertNotEqual(part.process.pid, first)
        self.assertIn("starting it again", said.getvalue())
        part.stop()
        self.assertFalse(self.note.exists())

    def test_what_ends_again_and_again_is_told_not_tried_for_ever(self) -> None:
        part = parts.Part("The web server", lambda: subprocess.Popen([sys.executable, "-c", "raise SystemExit(3)"]))
        part.start()
        with redirect_stderr(io.StringIO()), self.assertRaises(Trouble) as caught:
            for _ in range(parts.MOST_AGAIN + 1):
                assert part.process
                part.process.wait()
                part.keep()
        self.assertIn("6 times within a minute", str(caught.exception))

    def test_it_ends_with_the_one_that_made_it_though_that_was_killed(self) -> None:
        made = (
            "import subprocess, sys; sys.path[:0] = sys.argv[1:];"
            "from kestov.ending import end_with_parent;"
            "p = subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(600)'], preexec_fn=end_with_parent);"
            "print(p.pid, flush=True); p.wait()"
        )
        server = str(Path(__file__).resolve().parents[2] / "server")
        parent = subprocess.Popen([sys.executable, "-c", made, server], stdout=subprocess.PIPE)
        assert parent.stdout
        child = int(parent.stdout.readline())
        self.assertNotEqual(parts._state(child), "Z")
        parent.kill()
        parent.wait()
        parent.stdout.close()
        self.assertTrue(self.ended(child))

    def test_what_a_killed_start_has_left_is_ended_and_nothing_else(self) -> None:
        left, other = self.sleeping("kestov.asgi"), self.sleeping("something.else")
        self.addCleanup(other.wait)
        self.addCleanup(other.kill)
        with redirect_stderr(io.StringIO()):
            for told, cleared in (
                ("", False),
                ("no number", False),
                ("99999999", False),
                (str(other.pid), False),
                (str(left.pid), True),
            ):
                self.note.write_text(told)
                self.assertEqual(parts.clear(self.note, "kestov.asgi"), cleared, told)
            left.wait()
            self.assertFalse(parts.clear(self.folder / "none", "kestov.asgi"))
        self.assertIsNone(other.poll())


class Words(unittest.TestCase):
    def test_known_troubles_are_said_in_words(self) -> None:
        for said, words in (
            ("OSError: [Errno 28] No space left on device", "The disk is full"),
            ("npm ERR! code ENOTFOUND", "The network cannot be reached"),
            ("Temporary failure in name resolution", "The network cannot be reached"),
        ):
            self.assertIn(words, explain(said, "Setting up"))

    def test_unknown_ones_keep_the_last_lines(self) -> None:
        said = explain("\n".join(f"line {i}" for i in range(40)), "Building")
        self.assertTrue(said.startswith("Building failed."))
        self.assertIn("line 39", said)
        self.assertNotIn("line 20\n", said)

    def test_a_failed_command_raises_them(self) -> None:
        with self.assertRaises(Trouble) as e:
            run([sys.executable, "-c", "import sys; print('all went wrong'); sys.exit(3)"], "Trying")
        self.assertIn("all went wrong", str(e.exception))
        self.assertEqual(run([sys.executable, "-c", "print('fine')"], "Trying"), "fine\n")


class StandIn(unittest.TestCase):
    def test_it_answers_its_line_protocol(self) -> None:
        import threading

        import stand_in

        with stand_in.Service("127.0.0.1", 0) as service:
            threading.Thread(target=service.serve_forever, daemon=True).start()
            port = service.server_address[1]

            def ask(line: str) -> str:
                with socket.create_connection(("127.0.0.1", port), timeout=10) as s:
                    s.sendall(line.encode())
                    got = b""
                    while piece := s.recv(1 << 16):
                        got += piece
                return got.decode()

            lines = ask("RECORD axis=y kind=impulse seconds=2\n").splitlines()
            self.assertEqual(lines[0], "# unit=m/s2 rate=1600")
            self.assertEqual(lines[1], "time_s,ax,ay,az")
            self.assertEqual(lines[-1], f"END rows={len(lines) - 3}")
            for wrong in (
                "HELLO\n",
                "RECORD axis=q kind=sweep seconds=9\n",
                "RECORD axis=x kind=sweep seconds=9000\n",
                "\n",
            ):
                self.assertTrue(ask(wrong).startswith("ERROR "), wrong)
            service.shutdown()


class Ports(unittest.TestCase):
    def test_a_taken_port_is_seen_and_the_next_is_chosen(self) -> None:
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            s.listen()
            taken = s.getsockname()[1]
            self.assertFalse(port_is_free("127.0.0.1", taken))
            self.assertGreater(free_port(taken), taken)

    def test_the_port_that_was_asked_for_is_left_to_the_web_server(self) -> None:
        first = free_port(20000)
        self.assertNotEqual(free_port(first, spare=first), first)
        self.assertEqual(free_port(first, spare=first + 1), first)

    def test_a_port_that_is_taken_while_setting_up_is_said_in_words(self) -> None:
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            s.listen()
            args = argparse.Namespace(bind="127.0.0.1", port=s.getsockname()[1])
            with self.assertRaises(Trouble) as e:
                start._port_free(args)
            self.assertIn("taken by another program", str(e.exception))

    def test_an_address_that_is_not_ours_is_not_free(self) -> None:
        self.assertFalse(port_is_free("203.0.113.7", 8700))


class Certificates(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())

    def load(self, name: str) -> x509.Certificate:
        return x509.load_pem_x509_certificate((self.folder / name).read_bytes())

    def test_it_names_every_name_and_is_signed_by_the_authority(self) -> None:
        tls.issue(self.folder, ["127.0.0.1", "[::1]", "tablet.local", "192.168.7.4"])
        server, authority = self.load("server.crt"), self.load("authority.crt")
        names = server.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        self.assertEqual(names.get_values_for_type(x509.DNSName), ["tablet.local"])
        self.assertEqual(
            set(names.get_values_for_type(x509.IPAddress)),
            {ipaddress.ip_address(a) for a in ("127.0.0.1", "::1", "192.168.7.4")},
        )
        server.verify_directly_issued_by(authority)
        self.assertIsInstance(server.public_key(), ec.EllipticCurvePublicKey)
        lasts = server.not_valid_after_utc - server.not_valid_before_utc
        self.assertLessEqual(lasts, datetime.timedelta(days=398))
        self.assertTrue(authority.extensions.get_extension_for_class(x509.BasicConstraints).value.ca)

    def test_keys_are_for_their_owner_alone(self) -> None:
        tls.issue(self.folder, ["localhost"])
        for key in ("authority.key", "server.key"):
            self.assertEqual((self.folder / key).stat().st_mode & 0o077, 0)

    def test_it_is_kept_while_it_serves_and_renewed_when_a_name_comes(self) -> None:
        tls.issue(self.folder, ["localhost"])
        first, authority = self.load("server.crt"), self.load("authority.crt")
        tls.issue(self.folder, ["localhost"])
        self.assertEqual(self.load("server.crt"), first)
        tls.issue(self.folder, ["localhost", "loft.local"])
        self.assertNotEqual(self.load("server.crt"), first)
        self.assertEqual(self.load("authority.crt"), authority, "devices have trusted this one")


class Names(unittest.TestCase):
    def names(self, *options: str) -> list[str]:
        parser = argparse.ArgumentParser()
        start.arguments(parser)
        return start._names(parser.parse_args(options))

    def test_on_loopback_only_local_names_are_answered(self) -> None:
        self.assertEqual(self.names(), ["127.0.0.1", "localhost", "[::1]"])

    def test_on_a_network_the_machine_is_known_by_its_own(self) -> None:
        names = self.names("--bind", "0.0.0.0", "--host", "kestov.example")
        self.assertIn("kestov.example", names)
        self.assertIn(socket.gethostname(), names)


class SettingUp(unittest.TestCase):
    def test_what_may_not_be_installed_is_named_with_the_command(self) -> None:
        with (
            mock.patch("os.geteuid", return_value=1000),
            mock.patch("shutil.which", side_effect=lambda name: "/usr/bin/apt-get" if name == "apt-get" else None),
            redirect_stderr(io.StringIO()),
            self.assertRaises(Trouble) as e,
        ):
            setup.debian({"/no/such/file": "some-package"})
        self.assertIn("apt-get install some-package", str(e.exception))

    def test_what_is_there_is_not_installed_again(self) -> None:
        with mock.patch("setup.run") as ran:
            setup.debian({"/usr/bin/env": "coreutils"})
        ran.assert_not_called()

    def test_an_old_python_is_refused(self) -> None:
        with mock.patch.object(setup.sys, "version_info", (3, 9)), self.assertRaises(Trouble) as e:
            setup.python("core")
        self.assertIn("3.11", str(e.exception))

    def test_a_lock_lets_one_in_and_tells_the_other(self) -> None:
        with setup.locked("try"):
            caught: list[str] = []

            def second() -> None:
                try:
                    with setup.locked("try", "Somebody else is at it."):
                        caught.append("let in")
                except Trouble as e:
                    caught.append(str(e))

            other = threading.Thread(target=second)
            other.start()
            other.join(10)
        self.assertEqual(caught, ["Somebody else is at it."])


class TheDatabase(unittest.TestCase):
    def test_as_root_it_lies_where_its_user_can_reach_it(self) -> None:
        refused = subprocess.CompletedProcess([], 1)
        with mock.patch("os.geteuid", return_value=0), mock.patch("subprocess.run", return_value=refused):
            self.assertTrue(str(Cluster("try").folder).startswith("/var/lib/kestov/"))
        with mock.patch("os.geteuid", return_value=1000):
            self.assertIn(".state", str(Cluster("try").folder))

    def test_as_root_its_programs_run_as_another(self) -> None:
        with (
            mock.patch("os.geteuid", return_value=0),
            mock.patch("subprocess.run", return_value=subprocess.CompletedProcess([], 0)),
        ):
            self.assertEqual(Cluster("try")._command(["initdb"])[:3], ["runuser", "-u", "postgres"])


class Benches(unittest.TestCase):
    def test_the_server_goes_before_a_bench_that_is_called_like_a_part_of_it(self) -> None:
        # A script finds its own folder first.
        benches = list((setup.ROOT / "bench").glob("*.py"))
        asking = [b for b in benches if "django.setup()" in b.read_text()]
        self.assertGreater(len(asking), 2)
        for bench in asking:
            self.assertIn("sys.path[:0] = ", bench.read_text(), bench.name)


class Counting(unittest.TestCase):
    """The closing line is true: what a runner says is what is counted."""

    def count(self, script: str) -> test_all.Count:
        with redirect_stderr(io.StringIO()), mock.patch("builtins.print"):
            return test_all._unittest([sys.executable, "-c", script], Path.cwd(), {})

    def test_passed_failed_and_skipped(self) -> None:
        said = "import sys; print('Ran 9 tests in 1.2s\\n\\nFAILED (failures=2, errors=1, skipped=3)'); sys.exit(1)"
        self.assertEqual(self.count(said), test_all.Count(passed=3, failed=3, skipped=3))

    def test_a_runner_that_died_is_a_failure(self) -> None:
        self.assertEqual(self.count("raise SystemExit(1)").failed, 1)
        self.assertEqual(self.count("import sys; print('Ran 4 tests in 1s\\n\\nOK'); sys.exit(1)").failed, 1)

    def test_the_server_runs_beside_all_else_and_a_browser_alone(self) -> None:
        self.assertEqual(
            test_all.side_by_side(list(test_all.STAGES)),
            [[["checks", "core", "ops", "web", "fresh"], ["server"]], [["browser"]]],
        )
        self.assertEqual(test_all.side_by_side(["server"]), [[["server"]]])
        every = [s for step in test_all.side_by_side(list(test_all.STAGES)) for lane in step for s in lane]
        self.assertEqual(sorted(every), sorted(test_all.STAGES), "each once")

    def test_a_browsers_tests_are_halved_each_file_once(self) -> None:
        files = sorted((test_all.ROOT / "e2e").glob("test_*.py"))
        one, other = test_all.halves(files)
        self.assertEqual(sorted([*one, *other]), files)
        sizes = [sum(f.stat().st_size for f in lot) for lot in (one, other)]
        self.assertLess(max(sizes), 1.2 * min(sizes))

    def test_side_by_side_each_is_told_whole_and_all_are_counted(self) -> None:
        def stage(name: str) -> Callable[[dict[str, str]], test_all.Count]:
            def run(env: dict[str, str]) -> test_all.Count:
                for k in range(20):
                    test_all._tell(f"{name}{k} ")
                    time.sleep(0.001)
                return test_all.Count(passed=2, failed=int(name == "b"))

            return run

        stages = {name: stage(name) for name in "ab"}
        with mock.patch.dict(test_all.STAGES, stages), redirect_stdout(io.StringIO()) as said:
            total = test_all._all_of([["a"], ["b"]], {})
        self.assertEqual(total, test_all.Count(passed=4, failed=1))
        for name in "ab":
            self.assertIn(" ".join(f"{name}{k}" for k in range(20)), said.getvalue())

    def test_all_well(self) -> None:
        self.assertEqual(self.count("print('Ran 4 tests in 1s\\n\\nOK')"), test_all.Count(passed=4))
