"""A model that came as STL: checked, and drawn as one sees it, so that places can be pointed at. Large ones are refused.

Its triangles are painted from the farthest to the nearest, each as light as it faces the viewer.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
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
        mesh: Any = trimesh.load(io.BytesIO(data), file_type="stl")
        faces, points = len(mesh.faces), np.asarray(mesh.vertices, dtype=float)
    except Exception as e:  # whatever a broken file does to the reader
        raise Refused(422, "not_a_model", "This is not an STL file that can be read.", "file") from e
    if faces > MOST_FACES:
        raise Refused(413, "too_large", f"The model has over {MOST_FACES} triangles. Save it coarser.", "file")
    if not faces or not np.isfinite(points).all() or float(np.ptp(points, axis=0).max()) <= 0:
        raise Refused(422, "not_a_model", "There is no body in this STL file.", "file")
    return mesh


@dataclass(frozen=True)
class _Paper:
    """The sheet that a model is drawn on: right and up in the model's axes, its low corner there, and points for a mm."""

    right: NDArray[np.float64]
    up: NDArray[np.float64]
    low: NDArray[np.float64]
    scale: float
    width: int
    height: int

    def at(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(…, 3) points of the model as (…, 2) points of the picture."""
        flat = np.stack([points @ self.right, -(points @ self.up)], axis=-1)
        out: NDArray[np.float64] = (flat - self.low) * self.scale + _MARGIN
        return out


def _paper(mesh: Any, view: View) -> _Paper:
    right, up = (np.array(v, dtype=float) for v in _VIEWS[view])
    points = np.asarray(mesh.vertices, dtype=float)
    flat = np.stack([points @ right, -(points @ up)], axis=-1)
    low, high = flat.min(axis=0), flat.max(axis=0)
    scale = (_SIDE - 2 * _MARGIN) / max(float((high - low).max()), 1e-9)
    width, height = (max(200, int(v)) for v in np.ceil((high - low) * scale + 2 * _MARGIN))
    return _Paper(right, up, low, scale, width, height)


def spot(mesh: Any, view: View, point: tuple[float, float, float]) -> tuple[float, float]:
    """Where a point of the model (mm) is seen: shares of the picture's width and height."""
    paper = _paper(mesh, view)
    x, y = paper.at(np.array(point, dtype=float))
    return float(x / paper.width), float(y / paper.height)


def drawn(mesh: Any, view: View) -> Taken:
    """The model as it is seen from above, from the front, from the right, or from a corner above, as a picture."""
    from PIL import Image, ImageDraw

    paper = _paper(mesh, view)
    towards = np.cross(paper.right, paper.up)
    corners = _pieces(mesh)
    if mesh.is_watertight:
        # Of a closed body only what faces the viewer is seen.
        corners = corners[_normals(corners) @ towards * np.sign(mesh.volume) > 0]
    places, light = paper.at(corners), _light(corners, towards)
    picture = Image.new("RGB", (paper.width, paper.height), (250, 250, 248))
    pen = ImageDraw.Draw(picture)
    for i in np.argsort((corners @ towards).mean(axis=1)).tolist():
        tone = int(90 + 140 * light[i])
        pen.polygon([tuple(p) for p in places[i].tolist()], fill=(tone, min(255, tone + 6), tone))
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=88)
    return Taken(out.getvalue(), picture.width, picture.height)


#: No side of what is painted is longer than this share of the model, or large triangles would hide what stands before them.
_PIECE, _MOST_PIECES = 1 / 24, 60_000


def _pieces(mesh: Any) -> NDArray[np.float64]:
    """The triangles to paint, (n, 3, 3): the model's own, large ones cut up."""
    import trimesh

    points, faces = np.asarray(mesh.vertices, dtype=float), np.asarray(mesh.faces)
    if len(faces) < _MOST_PIECES // 4:
        points, faces = trimesh.remesh.subdivide_to_size(points, faces, float(np.ptp(points, axis=0).max()) * _PIECE)[
            :2
        ]
    out: NDArray[np.float64] = points[faces]
    return out


def _normals(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(normal, axis=1, keepdims=True)
    out: NDArray[np.float64] = np.divide(normal, size, out=np.zeros_like(normal), where=size > 0)
    return out


def _light(corners: NDArray[np.float64], towards: NDArray[np.float64]) -> NDArray[np.float64]:
    """By triangle, how much it faces the viewer, 0 to 1; those that lean are a little darker to the right."""
    unit = _normals(corners)
    # Which side is out, a body that is not closed does not tell.
    unit *= np.where(unit @ towards < 0, -1.0, 1.0)[:, None]
    lamp = towards + np.array([-0.25, -0.15, 0.35])
    facing: NDArray[np.float64] = np.clip(unit @ (lamp / np.linalg.norm(lamp)), 0, 1)
    return facing
