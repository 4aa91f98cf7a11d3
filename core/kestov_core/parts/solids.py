"""Closed solids as triangles: unions of boxes, and bodies told by their radius; watertight, with their faces outward.

Not here: which parts are made of them, and file formats. Lengths in mm; z up.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
#: x0, x1, y0, y1, z0, z1.
Box = tuple[float, float, float, float, float, float]


@dataclass(frozen=True)
class Mesh:
    """``vertices`` (n, 3) in mm; ``faces`` (m, 3) indices, counter-clockwise seen from outside."""

    vertices: Floats
    faces: NDArray[np.int64]

    @property
    def volume(self) -> float:
        """What it encloses (mm3), by the divergence theorem."""
        a, b, c = (self.vertices[self.faces[:, i]] for i in range(3))
        return float((np.cross(a, b) * c).sum() / 6)

    def moved(self, x: float, y: float, z: float = 0.0) -> Mesh:
        """The same somewhere else."""
        return Mesh(self.vertices + np.array([x, y, z]), self.faces)


def boxes(add: Sequence[Box], cut: Sequence[Box] = ()) -> Mesh:
    """The union of boxes, less others.

    Parameters
    ----------
    add, cut : sequence of Box
        Boxes with sides along the axes; what is cut goes before what is added.

    Returns
    -------
    Mesh
        Watertight as long as no two of its blocks touch along an edge alone.

    Examples
    --------
    >>> round(boxes([(0, 10, 0, 10, 0, 5)], [(2, 8, 2, 8, 0, 5)]).volume, 6)
    320.0
    """
    every = [*add, *cut]
    axes = [np.unique(np.round([v for b in every for v in b[2 * i : 2 * i + 2]], 6)) for i in range(3)]
    middles = [(a[1:] + a[:-1]) / 2 for a in axes]
    x, y, z = np.meshgrid(*middles, indexing="ij")
    full = np.zeros(x.shape, dtype=bool)
    for some, value in ((add, True), (cut, False)):
        for x0, x1, y0, y1, z0, z1 in some:
            full[(x > x0) & (x < x1) & (y > y0) & (y < y1) & (z > z0) & (z < z1)] = value
    padded = np.pad(full, 1)
    quads: list[Floats] = []
    for axis in range(3):
        for side in (0, 1):
            ahead = np.roll(padded, -1 if side else 1, axis=axis)[1:-1, 1:-1, 1:-1]
            cells = np.argwhere(full & ~ahead)
            if len(cells):
                quads.append(_quads(axes, cells, axis, side))
    return _welded(np.concatenate(quads))


def _quads(axes: list[Floats], cells: NDArray[np.int64], axis: int, side: int) -> Floats:
    """The faces of cells on one side: (n, 4, 3), counter-clockwise from outside."""
    u, v = (axis + 1) % 3, (axis + 2) % 3
    turns = [(0, 0), (1, 0), (1, 1), (0, 1)]
    corners = np.zeros((len(cells), 4, 3))
    for k, (a, b) in enumerate(turns if side else turns[::-1]):
        corners[:, k, axis] = axes[axis][cells[:, axis] + side]
        corners[:, k, u] = axes[u][cells[:, u] + a]
        corners[:, k, v] = axes[v][cells[:, v] + b]
    return corners


def _welded(quads: Floats) -> Mesh:
    """Quads as triangles whose corners are shared."""
    flat = np.round(quads.reshape(-1, 3), 6)
    vertices, index = np.unique(flat, axis=0, return_inverse=True)
    of = index.reshape(-1, 4)
    return Mesh(vertices, np.concatenate([of[:, [0, 1, 2]], of[:, [0, 2, 3]]]).astype(np.int64))


Radius = Callable[[Floats, float], Floats]


def turned(outer: Radius, heights: Sequence[float], inner: Radius | None = None, around: int = 96) -> Mesh:
    """A body round the z axis, told by its radius over angle and height; hollow where it has an inner one.

    Parameters
    ----------
    outer, inner : callable
        ``radius(angles, z)`` in mm for angles in rad.
    heights : sequence of float
        The heights at which it is told, from below up.
    around : int
        Steps round it.

    Examples
    --------
    >>> tube = turned(lambda t, z: 10 + 0 * t, [0, 5], lambda t, z: 8 + 0 * t, around=720)
    >>> round(tube.volume / (np.pi * (100 - 64) * 5), 3)
    1.0
    """
    angles = np.arange(around) * 2 * np.pi / around
    z = np.asarray(heights, dtype=float)

    def skin(radius: Radius) -> Floats:
        r = np.array([radius(angles, float(h)) for h in z])
        return np.stack([r * np.cos(angles), r * np.sin(angles), np.repeat(z[:, None], around, axis=1)], axis=2)

    n, k = len(z), around
    grid = np.arange(n * k).reshape(n, k)

    def side(start: int, outward: bool) -> NDArray[np.int64]:
        g = grid + start
        a, b, c, d = g[:-1], np.roll(g, -1, 1)[:-1], np.roll(g, -1, 1)[1:], g[1:]
        one, two = np.stack([a, b, c], 2).reshape(-1, 3), np.stack([a, c, d], 2).reshape(-1, 3)
        both = np.concatenate([one, two])
        return both if outward else both[:, ::-1]

    vertices = [skin(outer).reshape(-1, 3)]
    faces = [side(0, True)]
    if inner is None:
        vertices.append(np.array([[0.0, 0.0, z[0]], [0.0, 0.0, z[-1]]]))
        low, high = n * k, n * k + 1
        ring = np.arange(k)
        nxt = np.roll(ring, -1)
        faces.append(np.stack([nxt, ring, np.full(k, low)], 1))
        faces.append(np.stack([ring + (n - 1) * k, nxt + (n - 1) * k, np.full(k, high)], 1))
    else:
        vertices.append(skin(inner).reshape(-1, 3))
        faces.append(side(n * k, False))
        for row, up in ((0, False), (n - 1, True)):
            o, i = grid[row], grid[row] + n * k
            on, in_ = np.roll(o, -1), np.roll(i, -1)
            cap = np.concatenate([np.stack([o, on, in_], 1), np.stack([o, in_, i], 1)])
            faces.append(cap if up else cap[:, ::-1])
    return Mesh(np.concatenate(vertices), np.concatenate(faces).astype(np.int64))


def joined(meshes: Sequence[Mesh]) -> Mesh:
    """Several bodies as one file's."""
    at, vertices, faces = 0, [], []
    for m in meshes:
        vertices.append(m.vertices)
        faces.append(m.faces + at)
        at += len(m.vertices)
    return Mesh(np.concatenate(vertices), np.concatenate(faces))
