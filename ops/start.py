"""``kestov start``: set up, start the database, migrate, load the demo where empty, serve."""

from __future__ import annotations

import argparse
import json
import signal
import socket
import ssl
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from types import FrameType

import serving
import setup
from cluster import Cluster, port_is_free
from parts import Part, clear, enough
from words import ROOT, STATE, Trouble, explain, say

sys.path.append(str(ROOT / "server"))

from kestov.ending import end_with_parent

SIGN_INS = (
    ("technician", "tech", "tide-table-tech"),
    ("lead", "lead", "tide-table-lead"),
    ("member", "member", "tide-table-member"),
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """The command's options."""
    parser.add_argument("--empty", action="store_true", help="do not load the demo workshop; ask for the first account")
    parser.add_argument("--bind", default="127.0.0.1", help="address to serve on (0.0.0.0 for the workshop's network)")
    parser.add_argument("--port", type=int, default=8700)
    parser.add_argument(
        "--role",
        choices=("web", "worker"),
        help="only the web server, or only the worker for long work (both otherwise)",
    )
    parser.add_argument("--backups", type=Path, metavar="FOLDER", help="write a backup into this folder every night")
    parser.add_argument("--keep", type=int, default=14, metavar="N", help="of the nightly backups so many stay (14)")
    parser.add_argument(
        "--stand-in-port", type=int, default=8790, help="port of the demo's simulated accelerometer (0: none)"
    )
    parser.add_argument(
        "--mail-port", type=int, default=8791, help="port of the demo's stand-in of a mail server (0: none)"
    )
    parser.add_argument(
        "--practice-port", type=int, metavar="PORT", help="where practice is served (ten above --port; 0: none)"
    )
    parser.add_argument("--workers", type=int, default=2, help="web processes")
    parser.add_argument(
        "--host", action="append", default=[], metavar="NAME", help="a further name this machine is reached by"
    )
    parser.add_argument(
        "--tls", action="store_true", help="serve with TLS, by an authority of our own or by --cert and --key"
    )
    parser.add_argument("--cert", type=Path, help="certificate file (PEM, with its chain)")
    parser.add_argument("--key", type=Path, help="its private key (PEM)")
    parser.add_argument("--mains", type=int, choices=(50, 60), help="mains frequency in Hz (50 where it is not given)")
    parser.add_argument(
        "--behind-proxy",
        action="store_true",
        help="a TLS proxy stands before it; its word on address and TLS is believed",
    )
    parser.add_argument(
        "--proxy",
        action="append",
        default=[],
        metavar="ADDRESS",
        help="the proxy's address (this machine where not given)",
    )
    parser.add_argument(
        "--demo-on-network", action="store_true", help="let others sign in to the demo, whose passwords are published"
    )


class _Stop(Exception):
    """Asked to stop."""


def _on_signal(number: int, frame: FrameType | None) -> None:
    raise _Stop


def main(args: argparse.Namespace) -> int:
    """Serve until asked to stop."""
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _on_signal)
    cluster: Cluster | None = None
    parts: list[Part] = []
    try:
        with setup.locked("start", "Kestov is already running from this folder. Stop it first (Ctrl-C where it runs)."):
            if not 1 <= args.port <= 65535:
                raise Trouble("The port must lie between 1 and 65535.")
            serves, works = args.role != "worker", args.role != "web"
            clear(_WEB_NOTE, "kestov.asgi")
            clear(_WORKER_NOTE, "manage.py worker")
            clear(_PRACTICE_NOTE, "kestov.asgi")
            if serves:
                _port_free(args)
            setup.python("server")
            env = setup.environment()
            env["KESTOV_STATE"] = str(STATE)
            shared = bool(env.get("DATABASE_URL"))
            args.own_cluster = not shared
            if not shared:
                if args.role == "worker":
                    raise Trouble("A worker by itself needs the DATABASE_URL of the web servers that it works for.")
                setup.debian(setup.POSTGRES)
                cluster = Cluster()
                say("Starting the database …")
                env["DATABASE_URL"] = cluster.start(spare=args.port)
            certificate = None
            if serves:
                setup.web()
                certificate = _reached_by(args, env)
            _long_work(args, env)
            practises = serves and _practises(args, env)
            told = _bring_up(args, env, shared and not env.get("KESTOV_SECRET_KEY"))
            if serves:
                # Setting up takes a while; another program may have come meanwhile.
                _port_free(args)
            web = Part("The web server", lambda: _serve(args, env, certificate), _WEB_NOTE)
            parts += [web] if serves else []
            if works:
                parts.append(Part("The worker", lambda: _worker(env), _WORKER_NOTE))
            if serves and not args.empty:
                parts.append(Part("The stand-in", lambda: _stand_in(args, env)))
                parts += [Part("The mail server's stand-in", lambda: _mail(args, env))] if _stands_in(args, env) else []
            if practises:
                parts.append(Part("Practice", lambda: _practice(args, env, certificate, cluster), _PRACTICE_NOTE))
            for part in parts:
                part.start()
            if serves:
                _greet(_wait(args, web, certificate is not None), args, certificate is not None, told)
            else:
                print("Kestov's worker is ready.\nCtrl-C stops it.", flush=True)
            _watch(cluster, parts, env)
    except _Stop:
        say("\nStopping …")
        return 0
    except OSError as e:
        if e.errno == 28:
            raise Trouble("The disk is full. Free some space and start again; nothing is lost.") from e
        raise
    finally:
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        for part in parts:
            part.stop()
        if cluster:
            cluster.stop()


#: Which process serves, and which works, for a start that comes after one that was killed.
_WEB_NOTE, _WORKER_NOTE, _PRACTICE_NOTE = STATE / "web.pid", STATE / "worker.pid", STATE / "practice.pid"
#: With less room than this (bytes) the database does not start again.
_LEAST_FREE = 32 << 20
#: How often is looked whether all parts run (s).
_LOOK_S = 0.5


def _watch(cluster: Cluster | None, parts: list[Part], env: dict[str, str]) -> None:
    """See that all parts run until asked to stop; what ends by itself, or was killed, is started again."""
    again: list[float] = []
    full = False
    while True:
        time.sleep(_LOOK_S)
        if cluster is not None and not cluster.alive():
            if cluster.free() < _LEAST_FREE:
                # It cannot start on a full disk; meanwhile the web server says that it is away.
                full = full or _say_full()
                continue
            full = False
            enough(again, "The database")
            say("The database ended by itself; starting it again …")
            url = cluster.start()
            if url != env["DATABASE_URL"]:
                # Its port was taken meanwhile: those that use it learn the new one.
                env["DATABASE_URL"] = url
                for part in parts:
                    part.stop()
                    part.start()
        for part in parts:
            part.keep()


def _say_full() -> bool:
    say(
        "The disk is full, and the database has ended. Free some space: it starts again by itself, and nothing is lost."
    )
    return True


def _reached_by(args: argparse.Namespace, env: dict[str, str]) -> tuple[Path, Path] | None:
    """By which names it is reached, and whether a proxy stands before it; gives the certificate, where it has TLS itself."""
    names = _names(args)
    env["KESTOV_HOSTS"] = ",".join(names)
    if args.behind_proxy:
        env["KESTOV_BEHIND_PROXY"] = "1"
        env["KESTOV_PROXIES"] = ",".join(args.proxy or ["127.0.0.1", "::1"])
        env["KESTOV_ORIGINS"] = ",".join(f"https://{n}" for n in args.host)
    return _tls(args, names, env) if args.tls or args.cert else None


def _long_work(args: argparse.Namespace, env: dict[str, str]) -> None:
    """What the worker, and what is computed, must know."""
    if args.mains:
        env["KESTOV_MAINS_HZ"] = str(args.mains)
    if not args.empty:
        # The demo's own stand-in is on this machine.
        env["KESTOV_INSTRUMENTS"] = f"127.0.0.1:{args.stand_in_port}"
        if args.mail_port and not env.get("KESTOV_MAIL") and port_is_free("127.0.0.1", args.mail_port):
            env["KESTOV_MAIL"] = f"smtp://127.0.0.1:{args.mail_port}"
    if args.backups:
        env["KESTOV_BACKUPS"], env["KESTOV_BACKUPS_KEPT"] = str(args.backups.resolve()), str(max(1, args.keep))


def _practises(args: argparse.Namespace, env: dict[str, str]) -> bool:
    """Whether practice is served beside the workshop, and where: told to both. A managed database is asked for one of its own."""
    if args.practice_port is None:
        args.practice_port = args.port + _APART if args.port + _APART <= 65535 else 0
    own = env.get("KESTOV_PRACTICE_DATABASE_URL", "")
    if not args.practice_port or (not own and not args.own_cluster):
        return False
    if not port_is_free(args.bind, args.practice_port):
        say(f"Port {args.practice_port} is taken, so practice is not served. Choose another with --practice-port.")
        return False
    env.setdefault("KESTOV_BESIDE", str(args.practice_port))
    return True


def _practice(
    args: argparse.Namespace, env: dict[str, str], certificate: tuple[Path, Path] | None, cluster: Cluster | None
) -> subprocess.Popen[bytes]:
    """Practice by the same application in a process of its own, with a database of its own. It comes up behind the workshop."""
    own = env.get("KESTOV_PRACTICE_DATABASE_URL", "")
    theirs = {
        **{k: v for k, v in env.items() if k not in _OF_THE_WORKSHOP},
        "DATABASE_URL": own or (cluster.beside(env["DATABASE_URL"], "practice") if cluster else ""),
        "KESTOV_POOL": "0",
        "KESTOV_PRACTICE": "1",
        "KESTOV_BESIDE": env.get("KESTOV_PRACTICE_BESIDE", str(args.port)),
    }
    serve = serving.command(args.bind, args.practice_port, 1, certificate, setup.PYTHON)
    command = [setup.PYTHON, "manage.py", "practise", "--", *serve]
    return subprocess.Popen(
        command, cwd=ROOT / "server", env=theirs, start_new_session=True, preexec_fn=end_with_parent
    )


#: So far from the workshop's port is that of practice, where none is told.
_APART = 10
#: What practice is not told: it sends no letters, asks no calendar or instrument, and writes no backups.
_OF_THE_WORKSHOP = {"KESTOV_MAIL", "KESTOV_MAIL_FROM", "KESTOV_CALENDARS", "KESTOV_INSTRUMENTS", "KESTOV_BACKUPS"}


def _bring_up(args: argparse.Namespace, env: dict[str, str], share: bool) -> dict[str, str]:
    """The database brought up to date, and the demo into an empty one; what it holds. ``share``: the signing key is all hosts'.

    The demo's passwords stand in the documentation: on a network anybody would be its lead. Refused, unless it is meant.
    """
    beyond = args.bind not in ("127.0.0.1", "localhost", "::1") or args.behind_proxy
    meant, serves = args.demo_on_network or not beyond, args.role != "worker"
    command = ["bring_up"]
    # Who serves nobody prints no code, and brings no workshop.
    command += ["--code"] if serves else []
    command += ["--demo"] if serves and meant and not args.empty else []
    command += ["--shared"] if share else []
    told: dict[str, str] = json.loads(_manage(env, command, "Bringing the database up to date"))
    if not meant and (told["holds"] == "demo" or (told["holds"] == "nothing" and not args.empty)):
        raise Trouble(_PUBLISHED)
    if share:
        env["KESTOV_SECRET_KEY"] = told["key"]
    return told


_PUBLISHED = (
    "The demo's passwords are published: anybody on the network could sign in as the lead. Start your own workshop with "
    "--empty, or, where that is meant, say --demo-on-network."
)


def _port_free(args: argparse.Namespace) -> None:
    if not port_is_free(args.bind, args.port):
        raise Trouble(
            f"Port {args.port} on {args.bind} is taken by another program, or the address is not this machine's. Choose another: ./kestov start --port {args.port + 1 if args.port < 65535 else 8700}"
        )


def _stand_in(args: argparse.Namespace, env: dict[str, str]) -> subprocess.Popen[bytes] | None:
    """The demo's accelerometer on loopback. Where its port is taken, the demo goes without."""
    if not args.stand_in_port or not port_is_free("127.0.0.1", args.stand_in_port):
        return None
    command = [setup.PYTHON, ROOT / "ops" / "stand_in.py", "127.0.0.1", str(args.stand_in_port)]
    return subprocess.Popen(
        command, env=env, stdout=subprocess.DEVNULL, start_new_session=True, preexec_fn=end_with_parent
    )


def _stands_in(args: argparse.Namespace, env: dict[str, str]) -> bool:
    """Whether the demo's letters go to the stand-in: where no mail server is set, and its port is free."""
    return env.get("KESTOV_MAIL") == f"smtp://127.0.0.1:{args.mail_port}"


def _mail(args: argparse.Namespace, env: dict[str, str]) -> subprocess.Popen[bytes] | None:
    if not port_is_free("127.0.0.1", args.mail_port):
        return None
    command = [setup.PYTHON, ROOT / "ops" / "mail_stand_in.py", "127.0.0.1", str(args.mail_port), STATE / "mail"]
    return subprocess.Popen(
        command, env=env, stdout=subprocess.DEVNULL, start_new_session=True, preexec_fn=end_with_parent
    )


def _names(args: argparse.Namespace) -> list[str]:
    """Names and addresses this machine answers to: loopback, and what it has when bound to a network."""
    names = ["127.0.0.1", "localhost", "[::1]", *args.host]
    if args.bind not in ("127.0.0.1", "localhost", "::1"):
        own = socket.gethostname()
        names += [own, f"{own.split('.')[0]}.local"]
        if args.bind not in ("0.0.0.0", "::"):
            names.append(args.bind)
        else:
            done = subprocess.run(["hostname", "-I"], capture_output=True, text=True)
            names += [f"[{a}]" if ":" in a else a for a in done.stdout.split()]
    return list(dict.fromkeys(n for n in names if n))


def _tls(args: argparse.Namespace, names: list[str], env: dict[str, str]) -> tuple[Path, Path]:
    env["KESTOV_TLS"] = "1"
    if bool(args.cert) != bool(args.key):
        raise Trouble("Give both --cert and --key, or neither.")
    if args.cert:
        for file in (args.cert, args.key):
            if not file.is_file():
                raise Trouble(f"{file} is not there.")
        return args.cert.resolve(), args.key.resolve()
    folder = STATE / "tls"
    done = subprocess.run(
        [setup.PYTHON, ROOT / "ops" / "tls.py", folder, *names], capture_output=True, text=True, env=env
    )
    if done.returncode:
        raise Trouble(explain(done.stdout + done.stderr, "Making the certificate"))
    env["KESTOV_AUTHORITY"] = str(folder / "authority.crt")
    return folder / "server.crt", folder / "server.key"


def _manage(env: dict[str, str], command: list[str], what: str) -> str:
    """Run one of the server's commands, saying what it says but its last line; gives that."""
    process = subprocess.Popen(
        [setup.PYTHON, "manage.py", *command],
        cwd=ROOT / "server",
        env={**env, "KESTOV_POOL": "0"},
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        start_new_session=True,
    )
    lines: list[str] = []
    try:
        assert process.stdout
        for line in process.stdout:
            lines.append(line.rstrip())
            if not line.startswith("{"):
                say(line.rstrip())
        if process.wait():
            raise Trouble(explain("\n".join(lines), what))
        return lines[-1]
    finally:
        if process.poll() is None:
            process.terminate()
            process.wait()


def _worker(env: dict[str, str]) -> subprocess.Popen[bytes]:
    command = [setup.PYTHON, "manage.py", "worker"]
    return subprocess.Popen(command, cwd=ROOT / "server", env=env, start_new_session=True, preexec_fn=end_with_parent)


def _serve(
    args: argparse.Namespace, env: dict[str, str], certificate: tuple[Path, Path] | None
) -> subprocess.Popen[bytes]:
    command = serving.command(args.bind, args.port, args.workers, certificate, setup.PYTHON)
    return subprocess.Popen(command, cwd=ROOT / "server", env=env, start_new_session=True, preexec_fn=end_with_parent)


def _wait(args: argparse.Namespace, web: Part, tls: bool) -> str:
    """Wait until it answers; give its address."""
    host = {"0.0.0.0": "127.0.0.1", "::": "[::1]"}.get(args.bind, f"[{args.bind}]" if ":" in args.bind else args.bind)
    address = f"{'https' if tls else 'http'}://{host}:{args.port}"
    trusting = ssl.create_default_context()
    trusting.check_hostname, trusting.verify_mode = False, ssl.CERT_NONE
    for _ in range(300):
        if web.process is None or web.process.poll() is not None:
            raise Trouble("The web server did not start; what it said stands above.")
        try:
            with urllib.request.urlopen(
                f"{address}/api/health", timeout=5, context=trusting if tls else None
            ) as answer:
                json.load(answer)
                return address
        except OSError:
            time.sleep(0.1)
    raise Trouble("The web server does not answer.")


def _greet(address: str, args: argparse.Namespace, tls: bool, told: dict[str, str]) -> None:
    print(f"\nKestov is ready: {address}")
    if args.bind in ("0.0.0.0", "::"):
        print(
            "From other devices: " + ", ".join(f"{address.split('://')[0]}://{n}:{args.port}" for n in _names(args)[3:])
        )
    if "code" in told:
        print(f"The workshop is empty. Make the first account: {address}/first?code={told['code']}")
    elif told["holds"] == "demo":
        print("Demo sign-ins:")
        for role, name, password in SIGN_INS:
            print(f"  {role:<11} {name:<7} {password}")
    if tls and not args.cert:
        there = address
        if args.bind in ("0.0.0.0", "::") and len(_names(args)) > 3:
            there = f"https://{_names(args)[3]}:{args.port}"
        print(
            f"Trust it once on each device: open {there}/authority.crt there and install it as an authority\n(or copy {STATE / 'tls' / 'authority.crt'}); see docs/running.md."
        )
    print("Ctrl-C stops it.", flush=True)
