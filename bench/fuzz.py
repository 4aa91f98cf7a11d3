"""Does anything break it: inputs that nobody would send on purpose, by the thousand, with a seed.

Run: ./kestov bench fuzz [--seed 1] [--inputs 20000] [--only core|http]. Contexts, recordings, tables and requests that were good
are broken at random. Each must be answered or refused in words: no traceback, nothing over 10 s or 1 GB. Prints each that was
not, with what it was; 1 where there was any.
"""

from __future__ import annotations

import argparse
import copy
import json
import multiprocessing
import os
import random
import re
import resource
import signal
import sys
import time
import traceback
from collections import Counter
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "core"), str(ROOT / "server")]
#: What one input may take.
MOST_S, MOST_BYTES = 10, 1 << 30
#: Inputs of one child process; what a child holds is let go with it.
A_BATCH = 250

NASTY: list[Any] = [
    0, -0.0, -1, 1, 1e-300, 1e-9, 1e9, 1e15, 1e300, 1.7e308, -1e308, float("inf"), float("-inf"), float("nan"),
    2**31, 2**63, 2**70, -(2**63), True, False, None, "", " ", "\0", "a\0b", "nan", "1e999", "x" * 5000, "\ud800", "é\u202e\u0301",
    "../../x", "'; --", "=1+1", "\r\nX: y", [], {}, [[]], [None], {"": 0}, [0] * 3000, "0x10", "١٢", b"\xff".decode("latin-1"),
]  # fmt: skip


class TooLong(BaseException):
    """An input that took more than its time."""


def main() -> int:
    """Break, run, report."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--inputs", type=int, default=20_000)
    parser.add_argument("--only", choices=("core", "http"))
    args = parser.parse_args()
    begun = time.perf_counter()
    found: list[str] = []
    tally: Counter[str] = Counter()
    parts = {"core": (_core, 0.75), "http": (_http, 0.25)}
    for name, (part, share) in parts.items():
        if args.only in (None, name):
            if name == "http":
                _http_database()
            count = args.inputs if args.only else int(args.inputs * share)
            for batch in range(0, count, A_BATCH):
                broke, how = _in_child(part, args.seed * 1_000_003 + batch, min(A_BATCH, count - batch))
                found += broke
                tally += how
    print(
        f"{sum(tally.values())} inputs in {time.perf_counter() - begun:.0f} s: "
        + ", ".join(f"{n} {k}" for k, n in tally.most_common())
    )
    for line in found[:40]:
        print(line)
    print(f"{len(found)} broke it (wanted: none).")
    return 1 if found else 0


def _in_child(part: Any, seed: int, count: int) -> tuple[list[str], Counter[str]]:
    """Run a batch in a process of its own, with its memory bounded."""
    mine, theirs = multiprocessing.Pipe(False)
    child = multiprocessing.get_context("fork").Process(target=_batch, args=(part, seed, count, theirs))
    child.start()
    theirs.close()
    try:
        broke, how = mine.recv()
    except EOFError:
        broke, how = [f"seed {seed}: the process ended (memory, or worse)"], Counter(ended=1)
    child.join()
    return broke, how


def _batch(part: Any, seed: int, count: int, out: Any) -> None:
    def late(*_: object) -> None:
        raise TooLong

    signal.signal(signal.SIGALRM, late)
    run = part()
    used = int(Path("/proc/self/statm").read_text().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    resource.setrlimit(resource.RLIMIT_AS, (used + MOST_BYTES, used + MOST_BYTES))
    broke: list[str] = []
    how: Counter[str] = Counter()
    for i in range(count):
        rng = random.Random(seed + i)
        signal.setitimer(signal.ITIMER_REAL, MOST_S)
        what = ""
        try:
            for said in run(rng):
                what = said
            how[what.split(":")[0]] += 1
        except TooLong:
            broke.append(f"seed {seed + i}: over {MOST_S} s: {what[:300]}")
        except MemoryError:
            broke.append(f"seed {seed + i}: over {MOST_BYTES >> 30} GB: {what[:300]}")
        except Exception:
            last = traceback.format_exc().strip().split("\n")
            broke.append(f"seed {seed + i}: {what[:300]}\n    " + "\n    ".join(last[-3:]))
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
    out.send((broke, how))


# Breaking things


def _leaves(node: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    out = [path] if path else []
    if isinstance(node, dict):
        for k, v in node.items():
            out += _leaves(v, (*path, k))
    elif isinstance(node, list):
        for i, v in enumerate(node[:20]):
            out += _leaves(v, (*path, i))
    return out


def broken(value: Any, rng: random.Random) -> Any:
    """A copy with one to three places changed, taken out, doubled or added to."""
    value = copy.deepcopy(value)
    for _ in range(rng.choice((1, 1, 1, 2, 3))):
        places = _leaves(value)
        if not places:
            break
        path = rng.choice(places)
        node = value
        for key in path[:-1]:
            node = node[key]
        last, old = path[-1], node[path[-1]]
        how = rng.random()
        if isinstance(old, int | float) and not isinstance(old, bool) and how < 0.45:
            node[last] = old * 10.0 ** rng.randint(-14, 14) * rng.choice((1, 1, -1))
        elif how < 0.8:
            node[last] = copy.deepcopy(rng.choice(NASTY))
        elif how < 0.88:
            del node[last]
        elif isinstance(old, list) and old:
            node[last] = old * rng.choice((2, 50, 2000))
        elif isinstance(node, dict):
            node[rng.choice(("extra", "", "x" * 300, "__proto__"))] = copy.deepcopy(rng.choice(NASTY))
    return value


def broken_wav(data: bytes, rng: random.Random) -> bytes:
    """A recording with its header, its samples or its length spoilt."""
    import numpy as np

    how = rng.randrange(6)
    if how == 0:
        return data[: rng.randrange(len(data) + 1)]
    if how in (1, 2):
        spoilt = bytearray(data)
        for _ in range(rng.randint(1, 8)):
            spoilt[rng.randrange(60 if how == 1 else len(spoilt))] = rng.randrange(256)
        return bytes(spoilt)
    if how == 3:
        return rng.randbytes(rng.randrange(5000))
    if rng.random() < 0.5:
        return _wav(*_spliced(rng), rng.choice(("PCM_16", "FLOAT")))
    n = rng.choice((1, 10, 3000, 40_000))
    made = np.random.default_rng(rng.randrange(2**32))
    samples = {
        0: np.zeros(n), 1: np.ones(n), 2: np.sign(np.sin(np.arange(n) * made.uniform(0.001, 3))), 3: made.standard_normal(n) * 10.0 ** rng.randint(-30, 2),
        4: np.where(np.arange(n) == n // 2, 1.0, 0.0), 5: np.full(n, np.nan), 6: np.cumsum(made.standard_normal(n)),
    }[rng.randrange(7)]  # fmt: skip
    return _wav(samples, rng.choice((1, 7999, 8000, 16000, 44100, 192000)), rng.choice(("PCM_16", "FLOAT", "PCM_U8")))


def _spliced(rng: random.Random) -> tuple[Any, int]:
    """Strings, tones and hiss that ring and are cut over to the next, up to the end of the band; with their rate."""
    import numpy as np

    made, rate = np.random.default_rng(rng.randrange(2**32)), rng.choice((8000, 16000, 44100))
    t = np.arange(int(rate * rng.uniform(0.2, 4.0))) / rate
    parts = []
    for _ in range(rng.randint(1, 3)):
        f, since = 10 ** rng.uniform(1.2, np.log10(rate / 2)), t % rng.uniform(0.3, 1.0)
        partials = sum(np.sin(2 * np.pi * f * k * t) / k for k in range(1, 9) if f * k < rate / 2)
        parts.append(
            (partials + 10 ** rng.uniform(-4, 0) * made.standard_normal(len(t)))
            * np.exp(-rng.choice((0, 3, 12)) * since)
        )
    which = (t / rng.uniform(0.2, 1.0)).astype(int) % len(parts)
    return np.choose(which, parts) * 10.0 ** rng.uniform(-3, 0), rate


def _wav(samples: Any, rate: int, subtype: str) -> bytes:
    import io

    import soundfile

    out = io.BytesIO()
    soundfile.write(out, samples, rate, subtype=subtype, format="WAV")
    return out.getvalue()


def broken_table(data: bytes, rng: random.Random) -> bytes:
    """A table with cells, rows, its header or its text spoilt."""
    rows = data.decode().splitlines()
    how = rng.randrange(8)
    if how == 0:
        return data[: rng.randrange(len(data) + 1)]
    if how == 1:
        return rng.randbytes(rng.randrange(3000))
    if how == 2:
        rows = rows[: rng.choice((1, 2, 3, 6))]
    elif how == 3:
        rows = [rows[0], *([rng.choice(rows[1:])] * rng.choice((2, 70, 500)))] if len(rows) > 1 else rows
    elif how == 4:
        rng.shuffle(rows)
    else:
        for _ in range(rng.choice((1, 3, 40))):
            k = rng.randrange(len(rows))
            cells = rows[k].split(",")
            c = rng.randrange(len(cells))
            cells[c] = rng.choice(
                (
                    "",
                    "nan",
                    "inf",
                    "1e308",
                    "-1e308",
                    "1e-320",
                    "0",
                    "-0",
                    "1,5",
                    '"',
                    "'",
                    "\t",
                    ";",
                    "x" * 200_000,
                    "9" * 400,
                    "\u2212",
                    "+",
                    "#",
                )
            )
            rows[k] = ",".join(cells)
        if how == 5:
            scale, c = 10.0 ** rng.randint(-12, 12), rng.randrange(len(rows[0].split(",")))
            rows = [rows[0], *(_scaled(r, c, scale) for r in rows[1:])]
    text = rng.choice(("\n", "\n", "\r\n", "\r")).join(rows)
    return text.encode("utf-8", "surrogatepass") + rng.choice((b"", b"", b"\0", b"\xff", b"\n" * 500))


def _scaled(row: str, column: int, by: float) -> str:
    cells = row.split(",")
    try:
        cells[column] = f"{float(cells[column]) * by:g}"
    except (ValueError, IndexError):
        return row
    return ",".join(cells)


# What is tried


def _core() -> Any:
    """Every procedure of the core, by its contract."""
    from kestov_core import procedures
    from kestov_core.describing import lacks, remarks, sheet, typical
    from kestov_core.errors import BadInput
    from kestov_core.machine import Description
    from kestov_core.tests.test_contract import GOOD

    names = sorted(GOOD)
    machines = [
        typical(k).model_dump(mode="json", exclude_none=True)
        for k in ("bed_slinger", "fixed_bed", "corexy", "delta", "belt_bed")
    ]

    def run(rng: random.Random) -> Any:
        if rng.random() < 0.08:
            machine = broken(rng.choice(machines), rng)
            yield f"machine: {machine!r}"
            try:
                told = procedures.parse(Description, machine)
                sheet(told), remarks(told), lacks(told)
                yield "answered: machine"
            except BadInput:
                yield "refused: machine"
            return
        name = rng.choice(names)
        context, data = GOOD[name]
        if data is not None and rng.random() < 0.5:
            data = (broken_wav if data[:4] == b"RIFF" else broken_table)(data, rng)
        if data is None or rng.random() < 0.6:
            context = broken(context, rng)
        yield f"{name}: {context!r} {data[:80] if data else ''!r}"
        try:
            json.loads(procedures.run(name, context, data).model_dump_json())
            yield f"answered: {name}"
        except BadInput as e:
            assert e.message and e.code, "a refusal without words"
            yield f"refused: {name}"

    return run


def _http_database() -> None:
    """A small workshop in a database of its own, made once for all that is sent."""
    import psycopg

    base, _, _ = os.environ["DATABASE_URL"].rpartition("/")
    with psycopg.connect(f"{base}/postgres", autocommit=True) as db:
        db.execute("drop database if exists kestov_fuzz with (force)")
        db.execute("create database kestov_fuzz")
    os.environ |= {
        "DATABASE_URL": f"{base}/kestov_fuzz",
        "KESTOV_POOL": "0",
        "KESTOV_HOSTS": "testserver",
        "DJANGO_SETTINGS_MODULE": "kestov.settings",
    }
    child = multiprocessing.get_context("fork").Process(target=_fill)
    child.start()
    child.join()
    if child.exitcode:
        raise SystemExit("The workshop for it could not be made.")


def _fill() -> None:
    import django

    django.setup()
    from api.tests.world import ApiCase
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    ApiCase.setUpTestData()
    case = ApiCase("run")
    case.setUp()
    for _ in range(3):
        case.report()
    case.stand_in("a")


def _http() -> Any:
    """Every route of the API, by somebody who may use it and somebody who may not."""
    import django

    django.setup()
    import logging

    from api import api
    from django.test import Client
    from measuring.models import Capture
    from people.models import User
    from work import doing
    from work.models import State, Work
    from workshop.models import Printer

    if not os.environ.get("FUZZ_LOG"):
        logging.disable(logging.CRITICAL)
    schema = json.loads(json.dumps(api.get_openapi_schema(), default=str))
    routes = [(path, method, op) for path, ops in schema["paths"].items() for method, op in ops.items()]
    # What shuts everybody out is tried by itself, in the tests.
    routes = [r for r in routes if r[2]["operationId"] not in ("session.close", "people.change")]
    clients: list[Any] = []
    lead: Any = None
    for user in User.objects.filter(username__in=("lead", "technician", "member")):
        client = Client(raise_request_exception=False)
        client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
        clients += [client] * (4 if user.username == "lead" else 1)
        lead = client if user.username == "lead" else lead
    clients.append(Client(raise_request_exception=False))
    known = {"printer_id": [p.pk for p in Printer.objects.all()], "case_id": [1, 2, 3], "capture_id": [str(c.pk) for c in Capture.objects.all()],
             "place": ["a", "b", "x", "all", "bed"], "procedure": ["belt-pluck", "drag", "steps"]}  # fmt: skip

    def run(rng: random.Random) -> Any:
        path, method, op = rng.choice(routes)
        query = {}
        for p in op.get("parameters", []):
            value = rng.choice(known.get(p["name"]) or [_made(p["schema"], schema, rng)])
            if rng.random() < 0.12:
                value = rng.choice(NASTY)
            if p["in"] == "path":
                from urllib.parse import quote

                path = path.replace(
                    "{" + p["name"] + "}", quote(str(value).encode("utf-8", "replace") or b"0", safe="")
                )
            elif rng.random() < 0.8:
                query[p["name"]] = str(value).encode("utf-8", "replace").decode()
        content = op.get("requestBody", {}).get("content", {})
        kind, body = next(iter(content.items()), ("application/json", {"schema": {}}))
        payload = _made(body["schema"], schema, rng)
        if rng.random() < 0.7:
            payload = broken(payload, rng)
        headers = {"Idempotency-Key": rng.choice(("k" * 20, "k" * 81, ""))} if rng.random() < 0.1 else {}
        if rng.random() < 0.1:
            headers["Entered-At"] = rng.choice(_MOMENTS)
        measured = _MEASURED.match(path)
        if measured and rng.random() < 0.7:
            payload = _measured(measured.group(1), rng)
        yield f"{method} {path} {query} {str(payload)[:400]!r}"
        client = rng.choice(clients)
        full = f"{path}?{_query(query)}"
        if kind == "application/json":
            raw = json.dumps(payload).encode()
            if rng.random() < 0.05:
                raw = raw[: rng.randrange(len(raw) + 1)] + rng.choice((b"", b"\xff", b"[" * 5000, b"9" * 5000))
            answer = client.generic(method.upper(), full, raw, content_type="application/json", headers=headers)
        else:
            answer = client.post(full, _form(payload, rng), headers=headers)
        assert answer.status_code < 500, f"{answer.status_code}: {answer.content[:300]!r}"
        if answer.status_code >= 400 and path.startswith("/api/"):
            assert answer.json()["detail"], "a refusal without words"
        yield f"{answer.status_code // 100}xx: {path}"
        for work in Work.objects.filter(state=State.WAITING) if rng.random() < 0.02 else ():
            # As a worker would; nothing of it may end in a trace either.
            doing.run(work.pk)
            work.refresh_from_db()
            assert "It was not managed" not in work.said, f"{work.kind}: {work.told} {work.said}"
        for seen in ("/api/workshop", "/api/floor") if method != "get" and rng.random() < 0.2 else ():
            now = lead.get(seen)
            assert now.status_code == 200, f"{seen} is broken by it: {now.status_code} {now.content[:200]!r}"

    return run


#: When something says it was entered; and the routes that take a file.
_MOMENTS = (
    "2026-01-01T00:00:00+00:00",
    "yesterday",
    "9999-12-31T23:59:59+14:00",
    "0001-01-01T00:00:00Z",
    "2026-01-01",
    "",
)
_MEASURED = re.compile(r"/api/printers/[^/]*/([a-z-]+)/file$")


def _measured(name: str, rng: random.Random) -> dict[str, Any]:
    """A measurement by file: recordings and tables that were good and are broken, with what is told beside them."""
    from uuid import UUID

    from kestov_core.tests.test_contract import GOOD

    data = GOOD[name][1] or b""
    if rng.random() < 0.7:
        data = (broken_wav if data[:4] == b"RIFF" else broken_table)(data, rng)
    meta = {"id": str(UUID(int=rng.getrandbits(128))), "place": rng.choice(("a", "x", "y", "z", "bed")), "context": {}}
    if rng.random() < 0.3:
        meta = broken(meta, rng)
    return {"meta": json.dumps(meta), "file": data}


def _query(query: dict[str, str]) -> str:
    from urllib.parse import urlencode

    return urlencode(query)


def _form(payload: Any, rng: random.Random) -> dict[str, Any]:
    """Fields of a form; what is a file is now and then a picture, a table, or nothing good."""
    import io

    form: dict[str, Any] = {}
    for name, value in (payload if isinstance(payload, dict) else {}).items():
        if name == "file":
            good = (
                value
                if isinstance(value, bytes)
                else rng.choice((b"", b"a,b\n1,2\n", rng.randbytes(300), _PNG, _PNG[:60], b"{}"))
            )
            file = io.BytesIO(good)
            file.name = rng.choice(("a.csv", "x" * 300, "..", "\r\n.wav", "a\0b", '"; x="'))
            form[name] = file
        elif value is not None:
            text = value if isinstance(value, str) else json.dumps(value)
            form[str(name)] = text.encode("utf-8", "replace").decode()
    return form


_PNG = bytes.fromhex(
    "89504e470d0a1a0a0000000d49484452000000010000000108060000001f15c4890000000a49444154789c6300010000050001"
    "0d0a2db40000000049454e44ae426082"
)


def _made(shape: dict[str, Any], schema: dict[str, Any], rng: random.Random, depth: int = 0) -> Any:
    """Something that fits a JSON schema, more or less."""
    if "$ref" in shape:
        return _made(schema["components"]["schemas"][shape["$ref"].split("/")[-1]], schema, rng, depth)
    for how in ("anyOf", "oneOf", "allOf"):
        if how in shape:
            return _made(rng.choice(shape[how]), schema, rng, depth)
    if "const" in shape:
        return shape["const"]
    if "enum" in shape:
        return rng.choice(shape["enum"])
    kind = shape.get("type")
    if kind == "object" or "properties" in shape:
        must = shape.get("required", [])
        return {
            n: _made(s, schema, rng, depth + 1)
            for n, s in shape.get("properties", {}).items()
            if n in must or (depth < 4 and rng.random() < 0.7)
        }
    if kind == "array":
        return [_made(shape.get("items", {}), schema, rng, depth + 1) for _ in range(rng.choice((0, 1, 2, 3)))]
    if kind in ("number", "integer"):
        low, high = shape.get("minimum", 0), shape.get("maximum", 100)
        value = rng.uniform(float(low), float(min(high, float(low) + 1000)))
        return value if kind == "number" else int(value)
    if kind == "boolean":
        return rng.random() < 0.5
    if shape.get("format") == "uuid":
        import uuid

        return str(uuid.UUID(int=rng.getrandbits(128)))
    if shape.get("format") == "date":
        return rng.choice(("2026-01-01", "0001-01-01", "9999-12-31"))
    if shape.get("format") == "date-time":
        return rng.choice(("2026-01-01T00:00:00Z", "0001-01-01T00:00:00", "9999-12-31T23:59:59+14:00"))
    return rng.choice(("x", "a", "tension", "Long walk", f"n{rng.randrange(10**6)}", "belt"))


if __name__ == "__main__":
    sys.exit(main())
