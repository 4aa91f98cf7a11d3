"""A model that came as STL: checked, and drawn as one sees it, so that places can be pointed at. Large ones are refused.

Its triangles are painted from the farthest to the nearest, each as light as it faces the viewer.
"""

from __future__ import annotations

import io
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from people.refusals import Refused

from .pictures import Taken

View = Literal["top", "front", "side", "corner"]
MOST_BYTES, MOST_FACES = 20 * 1024 * 1024, 200_000
#: The drawing's longer side and margin (points).
_SIDE, _MARGIN = 1200, 40
#: Right and up of the paper, by view, in the model's x, y, z; z is up as it is printed.
_VIEWS: dict[View, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    "top": ((1, 0, 0), (0, 1, 0)),
    "front": ((1, 0, 0), (0, 0, 1)),
    "side": ((0, 1, 0), (0, 0, 1)),
    "corner": ((0.866, 0.5, 0), (-0.25, 0.433, 0.866)),
}


def read_mesh(data: bytes) -> Any:
    """An STL's triangles. Refused: empty, no STL, over 20 MB or 200 000 triangles, or of no size."""
    import trimesh

    if not data:
        raise Refused(422, "empty_file", "The file is empty.", "file")
    if len(data) > MOST_BYTES:
        raise Refused(413, "too_large", "The model is over 20 MB. Save it coarser.", "file")
    try:
        mesh: Any = trimesh.load(io.BytesIO(data), file_type="stl", process=False)
        faces, points = len(mesh.faces), np.asarray(mesh.vertices, dtype=float)
    except Exception as e:  # whatever a broken file does to the reader
        raise Refused(422, "not_a_model", "This is not an STL file that can be read.", "file") from e
    if faces > MOST_FACES:
        raise Refused(413, "too_large", f"The model has over {MOST_FACES} triangles. Save it coarser.", "file")
    if not faces or not np.isfinite(points).all() or float(np.ptp(points, axis=0).max()) <= 0:
        raise Refused(422, "not_a_model", "There is no body in this STL file.", "file")
    return mesh


def drawn(mesh: Any, view: View) -> Taken:
    """The model as it is seen from above, from the front, from the right, or from a corner above, as a picture."""
    from PIL import Image, ImageDraw

    right, up = (np.array(v, dtype=float) for v in _VIEWS[view])
    towards = np.cross(right, up)
    corners = np.asarray(mesh.vertices, dtype=float)[np.asarray(mesh.faces)]
    flat = np.stack([corners @ right, -(corners @ up)], axis=2)
    low, high = flat.reshape(-1, 2).min(axis=0), flat.reshape(-1, 2).max(axis=0)
    scale = (_SIDE - 2 * _MARGIN) / max(float((high - low).max()), 1e-9)
    width, height = (int(v) for v in np.ceil((high - low) * scale + 2 * _MARGIN))
    places = (flat - low) * scale + _MARGIN
    light = _light(corners, towards)
    picture = Image.new("RGB", (max(width, 200), max(height, 200)), (250, 250, 248))
    pen = ImageDraw.Draw(picture)
    for i in np.argsort((corners @ towards).mean(axis=1)).tolist():
        tone = int(90 + 140 * light[i])
        pen.polygon([tuple(p) for p in places[i].tolist()], fill=(tone, min(255, tone + 6), tone))
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=88)
    return Taken(out.getvalue(), picture.width, picture.height)


def _light(corners: NDArray[np.float64], towards: NDArray[np.float64]) -> NDArray[np.float64]:
    """By triangle, how much it faces the viewer, 0 to 1; those that lean are a little darker to the right."""
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(normal, axis=1, keepdims=True)
    unit = np.divide(normal, size, out=np.zeros_like(normal), where=size > 0)
    lamp = towards + np.array([-0.25, -0.15, 0.35])
    facing: NDArray[np.float64] = np.clip(unit @ (lamp / np.linalg.norm(lamp)), 0, 1)
    return facing
