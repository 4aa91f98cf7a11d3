"""Everything of a workshop in one file, and back: the database, its keys and certificates, with what proves that all is there.

Taken while people work: the database gives one moment of itself. Not here: when it is done, and by whom.
"""

from __future__ import annotations

import hashlib
import json
import os
import socket
import subprocess
import tarfile
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import psycopg
import psycopg.conninfo
import psycopg.sql
from django.conf import settings
from django.db import connection
from kestov_core import CORE_VERSION
from people.refusals import Refused

from .models import BackupMade

#: What the file is called inside, and the version of its make-up.
KIND, VERSION = "kestov-backup", 1
_DUMP, _MANIFEST = "database.dump", "manifest.json"
#: Of the state folder: what signs, and what serves; nothing that can be made anew.
_STATE_FILES = ("secret-key", "tls")
#: A backup says that it is one of ours in these names, newest last.
_NIGHTLY = "kestov-{day}.backup"


def address() -> str:
    """The database of this process, as libpq has it."""
    params = connection.get_connection_params()
    names = ("dbname", "user", "password", "host", "port")
    return psycopg.conninfo.make_conninfo(**{n: params[n] for n in names if params.get(n)})


def backup(file: Path, moment: datetime | None = None) -> dict[str, Any]:
    """Write everything into ``file``; gives the manifest. The file appears whole or not at all."""
    file = file.resolve()
    file.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=file.parent, prefix=".kestov-") as name:
        folder = Path(name)
        with psycopg.connect(address()) as line:
            line.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
            row = line.execute("SELECT pg_export_snapshot()").fetchone()
            assert row is not None
            _run(["pg_dump", "--format=custom", "--no-owner", f"--snapshot={row[0]}", f"--file={folder / _DUMP}"])
            manifest = {
                "kind": KIND,
                "version": VERSION,
                "core": CORE_VERSION,
                "made": (moment or datetime.now(UTC)).isoformat(),
                **facts(line),
                "dump": _hash(folder / _DUMP),
            }
        (folder / _MANIFEST).write_text(json.dumps(manifest, indent=1))
        whole = folder / "whole"
        with tarfile.open(whole, "w") as tar:
            for part in (_MANIFEST, _DUMP):
                tar.add(folder / part, part)
            for part in _STATE_FILES:
                if (settings.STATE / part).exists():
                    tar.add(settings.STATE / part, f"state/{part}")
        whole.chmod(0o600)
        os.replace(whole, file)
    made = datetime.fromisoformat(manifest["made"])
    BackupMade.objects.create(file=str(file), host=socket.gethostname(), size=file.stat().st_size, at=made)
    return manifest


def facts(line: psycopg.Connection[Any]) -> dict[str, Any]:
    """What must be the same after a restore: rows of each table, and one hash over the hashes of all captures' files."""
    names = [
        r[0] for r in line.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1").fetchall()
    ]
    rows: dict[str, int] = {}
    for name in names:
        counted = line.execute(
            psycopg.sql.SQL("SELECT count(*) FROM {}").format(psycopg.sql.Identifier(name))
        ).fetchone()
        rows[name] = counted[0] if counted else 0
    captures = hashlib.sha256()
    if "measuring_capture" in names:
        for id_, told in line.execute("SELECT id, sha256 FROM measuring_capture ORDER BY id"):
            captures.update(f"{id_}{told}".encode())
    return {"rows": rows, "captures": captures.hexdigest()}


def nightly(folder: Path, keep: int, today: datetime | None = None) -> Path:
    """A backup named by the day, of which the newest ``keep`` stay."""
    day = (today or datetime.now(UTC)).date().isoformat()
    file = folder / _NIGHTLY.format(day=day)
    backup(file, today)
    old = sorted(folder.glob(_NIGHTLY.format(day="????-??-??")))[: -max(1, keep)]
    for each in old:
        each.unlink()
    return file


def restore(file: Path) -> dict[str, Any]:
    """Bring a backup into a database that holds no workshop; gives the manifest. Proven before it is called done."""
    with tempfile.TemporaryDirectory(prefix="kestov-") as name:
        folder = Path(name)
        manifest = _unpack(file, folder)
        with psycopg.connect(address()) as line:
            there = line.execute("SELECT to_regclass('public.people_user')").fetchone()
            if there and there[0] and line.execute("SELECT 1 FROM people_user LIMIT 1").fetchone():
                raise Refused(
                    409, "not_empty", "There is a workshop in this database already. Restore into an empty one."
                )
            line.execute("DROP SCHEMA public CASCADE")
            line.execute("CREATE SCHEMA public")
        _run(
            [
                "pg_restore",
                "--no-owner",
                "--single-transaction",
                "--exit-on-error",
                "--dbname={name}",
                str(folder / _DUMP),
            ]
        )
        with psycopg.connect(address()) as line:
            found = facts(line)
            wrong = [t for t, n in manifest["rows"].items() if found["rows"].get(t) != n]
            if wrong or found["captures"] != manifest["captures"]:
                raise Refused(
                    500, "not_whole", f"What came back is not what was kept: {', '.join(wrong) or 'captures'}."
                )
        broken = damaged()
        if broken:
            raise Refused(500, "not_whole", f"{len(broken)} captures are damaged: {', '.join(broken[:5])}.")
        _put_state(folder / "state")
    return manifest


def damaged() -> list[str]:
    """Captures whose file is not what its hash says."""
    import zlib

    out = []
    with psycopg.connect(address()) as line, line.cursor("captures") as rows:
        rows.itersize = 50
        rows.execute("SELECT id, sha256, data FROM measuring_capture WHERE data IS NOT NULL")
        for id_, told, data in rows:
            try:
                if hashlib.sha256(zlib.decompress(bytes(data))).hexdigest() != told:
                    out.append(str(id_))
            except zlib.error:
                out.append(str(id_))
    return out


def _unpack(file: Path, folder: Path) -> dict[str, Any]:
    try:
        with tarfile.open(file) as tar:
            tar.extractall(folder, filter="data")
        manifest: dict[str, Any] = json.loads((folder / _MANIFEST).read_text())
    except (OSError, tarfile.TarError, ValueError) as e:
        raise Refused(422, "not_a_backup", f"{file} is no backup of Kestov, or it is damaged: {e}.", "file") from e
    if manifest.get("kind") != KIND or manifest.get("version", 0) > VERSION:
        raise Refused(422, "not_a_backup", f"{file} was made by a newer Kestov, or is none of its backups.", "file")
    if _hash(folder / _DUMP) != manifest["dump"]:
        raise Refused(422, "not_a_backup", f"{file} is damaged: its database is not what it was.", "file")
    return manifest


def _put_state(told: Path) -> None:
    """Keys and certificates to their place, for their owner alone. The signing key comes along, so that nobody is signed out."""
    for file in sorted(told.rglob("*")) if told.exists() else ():
        if file.is_file():
            place = settings.STATE / file.relative_to(told)
            place.parent.mkdir(parents=True, exist_ok=True)
            place.touch(mode=0o600)
            place.write_bytes(file.read_bytes())


def _hash(file: Path) -> str:
    with file.open("rb") as f:
        return hashlib.file_digest(f, "sha256").hexdigest()


def _run(command: list[str]) -> None:
    """One of PostgreSQL's programs on our database; the password goes by its environment, not by its command."""
    told = psycopg.conninfo.conninfo_to_dict(address())
    env = {**os.environ, "PGPASSWORD": str(told.get("password") or "")}
    for ours, theirs in (("host", "PGHOST"), ("port", "PGPORT"), ("user", "PGUSER"), ("dbname", "PGDATABASE")):
        if told.get(ours):
            env[theirs] = str(told[ours])
    words = [w.format(name=told.get("dbname", "")) for w in command[1:]]
    try:
        done = subprocess.run([_program(command[0]), *words], env=env, capture_output=True, text=True)
    except OSError as e:
        raise Refused(500, "not_there", f"{command[0]} is missing: install PostgreSQL's programs.") from e
    if done.returncode:
        raise Refused(500, "failed", f"{command[0]}: {done.stderr.strip()[-600:]}")


def _program(name: str) -> str:
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"), key=lambda p: int(p.parent.parent.name))
    return str(found[-1]) if found else name
