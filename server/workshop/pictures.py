"""A picture that came by upload: checked by content, turned upright, made smaller, re-encoded without hidden data.

Opened before anything of the record is held: a small file may hold a large picture. One at a time on a machine.
"""

from __future__ import annotations

import fcntl
import io
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from django.conf import settings
from people.refusals import Refused

#: Points of a picture at most: more than any phone's usual picture, and about 0.2 GB while it is opened.
MOST_POINTS = 25_000_000
#: Longer side of what is kept, and of its small version (points), and their quality.
_KEPT, _SMALL, _QUALITY = 2000, 640, 85


@dataclass(frozen=True)
class Taken:
    """A picture ready to be kept: JPEG bytes, width and height."""

    image: bytes
    width: int
    height: int


def read_picture(data: bytes) -> Taken:
    """A JPEG, PNG or WebP picture of at most 12 MB and 25 million points; refused otherwise."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    if not data:
        raise Refused(422, "empty_file", "The picture is empty.", "file")
    if len(data) > settings.MAX_PICTURE:
        raise Refused(413, "too_large", "The picture is over 12 MB. Take it at a lower resolution.", "file")
    out = io.BytesIO()
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG", "PNG", "WEBP")) as opened:
            if opened.width * opened.height > MOST_POINTS:
                raise Refused(
                    413, "too_large", "The picture has over 25 million points. Take it at a lower resolution.", "file"
                )
            with _one_at_a_time():
                # A JPEG is opened at a fraction of its size, where that is enough.
                opened.draft("RGB", (_KEPT, _KEPT))
                opened.thumbnail((_KEPT, _KEPT))
                picture = ImageOps.exif_transpose(opened).convert("RGB")
                picture.save(out, "JPEG", quality=_QUALITY)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as e:
        raise Refused(422, "not_a_picture", "This is not a JPEG, PNG or WebP picture.", "file") from e
    return Taken(out.getvalue(), picture.width, picture.height)


def smaller(image: bytes) -> bytes:
    """The small version of a picture that is kept."""
    from PIL import Image

    out = io.BytesIO()
    with Image.open(io.BytesIO(image), formats=("JPEG",)) as opened, _one_at_a_time():
        opened.draft("RGB", (_SMALL, _SMALL))
        opened.thumbnail((_SMALL, _SMALL))
        opened.convert("RGB").save(out, "JPEG", quality=_QUALITY)
    return out.getvalue()


@contextmanager
def _one_at_a_time() -> Iterator[None]:
    """Held by one thread of one process on this machine."""
    settings.STATE.mkdir(parents=True, exist_ok=True)
    with open(settings.STATE / "pictures.lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield
