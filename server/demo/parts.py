"""A part of the demo workshop's own: the rest for an oar, printed by the dozen for the boats on the slipway."""

from __future__ import annotations

import io
import json
from typing import TYPE_CHECKING, Any

from workshop.meshes import spot

if TYPE_CHECKING:
    from .workshop import Maker

Point = tuple[float, float, float]
#: (words, axis, kind, mm, ± mm, from, to): points of the model (mm), seen from a corner.
PLACES: list[tuple[str, str, str, float, float | None, Point, Point]] = [
    ("base, long side", "x", "outer", 80, 0.3, (-40, -20, 0), (40, -20, 0)),
    ("base, short side", "y", "outer", 40, 0.3, (40, -20, 3), (40, 20, 3)),
    ("ring, outside", "x", "outer", 36, 0.2, (-18, 0, 36), (18, 0, 36)),
    ("ring, bore for the pin", "x", "inner", 22, 0.15, (-11, 0, 36), (11, 0, 36)),
    ("whole height", "z", "outer", 36, 0.2, (-40, 0, 0), (-40, 0, 36)),
]


def own_part(maker: Maker) -> None:
    """Enter it with its model and its places."""
    import trimesh

    base = trimesh.creation.box((80, 40, 6))
    base.apply_translation((0, 0, 3))
    ring = trimesh.creation.annulus(11, 18, 30, sections=64)
    ring.apply_translation((0, 0, 21))
    mesh: Any = trimesh.util.concatenate([base, ring])
    places = []
    for words, axis, kind, nominal, tolerance, a, b in PLACES:
        line = [dict(zip(("x", "y"), spot(mesh, "corner", p), strict=True)) for p in (a, b)]
        told = {"words": words, "axis": axis, "kind": kind, "nominal_mm": nominal, "tolerance_mm": tolerance}
        places.append(told | {"line": line})
    words = "For the boats on the slipway; the pin must turn freely."
    meta = {"name": "Oar rest", "words": words, "places": places, "view": "corner"}
    file = io.BytesIO(mesh.export(file_type="stl"))
    file.name = "oar-rest.stl"
    maker.call("tech2", "POST", "/own-parts", meta=json.dumps(meta), file=file)
