"""What the workshop knows, as data: read here, checked on load, mended by anyone who can edit a sentence."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, TypeAdapter


class FindingKind(BaseModel):
    """A finding: its stable id, the words for it, and whether it is seen, measured (with its unit) or a danger."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: str
    label: str
    kind: Literal["seen", "measured", "danger"]
    unit: str | None


@cache
def findings() -> dict[str, FindingKind]:
    """All findings by id. Ids are snake case and never change their meaning."""
    rows = json.loads((Path(__file__).parent / "findings.json").read_text(encoding="utf-8"))
    kinds = TypeAdapter(list[FindingKind]).validate_python(rows)
    by_id = {k.id: k for k in kinds}
    if len(by_id) != len(kinds):
        raise ValueError("findings.json names an id twice")
    return by_id
