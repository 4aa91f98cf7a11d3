"""What ``./kestov`` runs: parse the command and call the rest. Needs only Python's own library."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

import setup
import start
from words import ROOT, STATE, Trouble


def _into_python(arguments: list[str], level: str, cwd: str | None = None, **env: str) -> int:
    """Become our own Python."""
    setup.python(level)
    if cwd:
        os.chdir(cwd)
    os.execve(setup.PYTHON, [str(setup.PYTHON), *arguments], {**setup.environment(), **env})


def main() -> int:
    """Run one command."""
    # The core's own arguments are its own: handed on untouched.
    if sys.argv[1:2] == ["core"]:
        return _into_python(["-m", "kestov_core.cli", *sys.argv[2:]], "core")
    parser = argparse.ArgumentParser(
        prog="kestov", description="The axes of a workshop's 3D printers: measured, set, proven, recorded."
    )
    commands = parser.add_subparsers(
        dest="command",
        required=True,
        metavar="start | test | core | bench | demo | stand-in | backup | restore | archive | doctor | manage",
    )
    start.arguments(commands.add_parser("start", help="set up what is missing and serve on http://127.0.0.1:8700"))
    test = commands.add_parser("test", help="set up what is missing and run every test and check")
    test.add_argument("only", nargs="*", help="checks, core, ops, server, web, browser, fresh; all where none is named")
    test.add_argument("-k", dest="name", default="", help="of these stages only the tests whose name holds this")
    bench = commands.add_parser("bench", help="how fast and how good it is, as ratios measured in one run")
    bench.add_argument("name", choices=sorted(f.stem.replace("_", "-") for f in (ROOT / "bench").glob("[a-z]*.py")))
    bench.add_argument("rest", nargs=argparse.REMAINDER)
    stand_in = commands.add_parser(
        "stand-in", help="what stands in for an outside device: an accelerometer, or a mail server"
    )
    stand_in.add_argument("what", nargs="?", choices=("accelerometer", "mail"), default="accelerometer")
    stand_in.add_argument("--bind", default="127.0.0.1", help="address to answer on")
    stand_in.add_argument("--port", type=int, default=None, help="8790; of the mail server 8791")
    commands.add_parser("core", help="run one measuring procedure on the command line")
    demo = commands.add_parser("demo", help="load the demo workshop")
    demo.add_argument("--reset", action="store_true", help="throw the present demo away and begin anew")
    backup = commands.add_parser("backup", help="everything in one file, while people work")
    backup.add_argument("rest", nargs=argparse.REMAINDER, metavar="FILE | --nightly FOLDER [--keep N]")
    restore = commands.add_parser("restore", help="a backup into an empty workshop, proven")
    restore.add_argument("rest", nargs=1, metavar="FILE")
    archive = commands.add_parser("archive", help="everything, or one machine, in open formats; and in again")
    archive.add_argument("rest", nargs=argparse.REMAINDER, metavar="out FILE [--machine NAME] | in FILE [--name NAME]")
    commands.add_parser("doctor", help="how Kestov is, and what to do where it is not well")
    manage = commands.add_parser("manage", help="Django's own commands, on this workshop's database")
    manage.add_argument("rest", nargs=argparse.REMAINDER)
    args = parser.parse_args()
    if args.command == "start":
        return start.main(args)
    if args.command == "test":
        import test_all

        return test_all.main(args.only, args.name)
    if args.command == "bench" and args.name in ("scale", "fuzz", "job-log", "week"):
        return _on_a_throwaway([str(ROOT / "bench" / f"{args.name.replace('-', '_')}.py"), *args.rest])
    if args.command == "bench" and args.name in ("killed", "load", "hosts"):
        # They run a cluster and a server of their own.
        setup.python("server")
        setup.debian(setup.POSTGRES)
        setup.web()
        return _into_python([str(ROOT / "bench" / f"{args.name}.py"), *args.rest], "server")
    if args.command == "bench":
        return _into_python([str(ROOT / "bench" / f"{args.name.replace('-', '_')}.py"), *args.rest], "core")
    if args.command == "stand-in":
        if args.what == "mail":
            folder = str(STATE / "mail")
            return _into_python(
                [str(ROOT / "ops" / "mail_stand_in.py"), args.bind, str(args.port or 8791), folder], "server"
            )
        return _into_python([str(ROOT / "ops" / "stand_in.py"), args.bind, str(args.port or 8790)], "core")
    if args.command == "demo":
        return _manage(["demo", *(["--reset"] if args.reset else [])])
    if args.command == "archive":
        # Where a file is meant is where it was said; the command runs elsewhere.
        return _manage(["archive", *args.rest[:1], *(str(Path(w).resolve()) for w in args.rest[1:2]), *args.rest[2:]])
    if args.command in ("backup", "restore"):
        # Where a file is meant is where it was said; the command runs elsewhere.
        return _manage(
            [args.command, *(w if w.startswith("-") or w.isdigit() else str(Path(w).resolve()) for w in args.rest)]
        )
    return _manage(["doctor"] if args.command == "doctor" else args.rest)


def _on_a_throwaway(arguments: list[str]) -> int:
    """Run a program of the server's beside a cluster whose data may be lost."""
    import subprocess

    from cluster import Cluster

    setup.python("server")
    setup.debian(setup.POSTGRES)
    cluster = Cluster("postgres-bench", throwaway=True)
    url = cluster.start()
    try:
        env = {**setup.environment(), "KESTOV_STATE": str(STATE), "DATABASE_URL": url}
        return subprocess.run([str(setup.PYTHON), *arguments], env=env, check=False).returncode
    finally:
        cluster.stop()


def _manage(arguments: list[str]) -> int:
    """Run manage.py on the workshop's database, started for it where it does not run."""
    import subprocess

    from cluster import Cluster

    setup.python("server")
    env = {**setup.environment(), "KESTOV_STATE": str(STATE), "KESTOV_POOL": "0"}
    cluster = None
    if not env.get("DATABASE_URL"):
        setup.debian(setup.POSTGRES)
        cluster = Cluster()
        was_running = (cluster.data / "postmaster.pid").exists()
        env["DATABASE_URL"] = cluster.start()
        if was_running:
            cluster.started_here = False
    try:
        if arguments[:1] == ["demo"]:
            subprocess.run(
                [setup.PYTHON, "manage.py", "migrate", "--verbosity", "0"], cwd=ROOT / "server", env=env, check=False
            )
        return subprocess.run([setup.PYTHON, "manage.py", *arguments], cwd=ROOT / "server", env=env).returncode
    finally:
        if cluster:
            cluster.stop()


if __name__ == "__main__":
    try:
        sys.exit(main())
    except Trouble as e:
        print(f"\n{e}", file=sys.stderr)
        sys.exit(1)
    except KeyboardInterrupt:
        sys.exit(130)
