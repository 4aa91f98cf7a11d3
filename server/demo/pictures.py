"""Pictures of prints that were never made, as a lamp from the side shows them."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray


def echoes() -> io.BytesIO:
    """A made picture of a wall with echoes after a corner, as a lamp from the side shows it."""
    width, height = 900, 560
    x = np.arange(width)[None, :]
    y = np.arange(height)[:, None]
    after = np.clip(x - 150, 0, None)
    ripple = np.where(x > 150, np.exp(-after / 170) * np.sin(2 * np.pi * after / 62), 0)
    lines = 0.10 * np.sin(2 * np.pi * y / 7)
    shade = 0.55 + 0.22 * ripple + lines + 0.05 * np.cos(x / 300) + np.where(abs(x - 150) < 4, 0.25, 0)
    grain = np.random.default_rng(5).normal(0, 0.015, (height, width))
    tone = np.clip(shade + grain, 0, 1)
    return _jpeg(tone, "echoes.jpg")


def tower(step: int, away: float = 1.0, turn: float = 0.0) -> io.BytesIO:
    """A printed tower before a dark wall, whose upper half stands ``step`` points aside; from so much further ``away``, turned (deg)."""
    width, height = 900, 640
    x, y = np.meshgrid(np.arange(width) - width / 2, np.arange(height) - height / 2)
    angle = np.radians(turn)
    u = away * (x * np.cos(angle) + y * np.sin(angle)) - (18 if away != 1 else 0)
    v = away * (y * np.cos(angle) - x * np.sin(angle))
    aside = np.where(v < -10, step, 0)
    half = 150 + 18 * np.sin(np.clip((v + 230) / 460, 0, 1) * np.pi)
    part = (np.abs(u - aside) < half) & (np.abs(v) < 235)
    layers = 0.05 * np.sin(2 * np.pi * v / 6)
    round_ = 0.25 * np.sqrt(np.clip(1 - ((u - aside) / half) ** 2, 0, 1))
    tone = np.where(part, 0.45 + round_ + layers, 0.16 + 0.05 * (v / height))
    tone = np.where((v > 235) & (np.abs(u) < 330), 0.34 + 0.02 * np.cos(u / 9), tone)
    grain = np.random.default_rng(8 + step).normal(0, 0.015, tone.shape)
    return _jpeg(np.clip(tone + grain, 0, 1), "tower.jpg")


def _jpeg(tone: NDArray[np.float64], name: str) -> io.BytesIO:
    """A tone from 0 to 1 as a greenish grey picture."""
    from PIL import Image

    rgb = np.stack([60 + 120 * tone, 78 + 130 * tone, 84 + 128 * tone], axis=2).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "JPEG", quality=88)
    out.seek(0)
    out.name = name
    return out
