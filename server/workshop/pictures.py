"""A picture that came by upload: checked by content, turned upright, made smaller, re-encoded without hidden data."""

from __future__ import annotations

import io

from django.conf import settings
from people.refusals import Refused


def read_picture(data: bytes) -> tuple[bytes, int, int]:
    """JPEG bytes, width and height of a JPEG, PNG or WebP picture of at most 12 MB."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    if not data:
        raise Refused(422, "empty_file", "The picture is empty.", "file")
    if len(data) > settings.MAX_PICTURE:
        raise Refused(413, "too_large", "The picture is over 12 MB. Take it at a lower resolution.", "file")
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG", "PNG", "WEBP")) as opened:
            if opened.width * opened.height > 60_000_000:
                raise Refused(413, "too_large", "The picture has over 60 million points.", "file")
            picture = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as e:
        raise Refused(422, "not_a_picture", "This is not a JPEG, PNG or WebP picture.", "file") from e
    picture.thumbnail((2000, 2000))
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=85)
    return out.getvalue(), picture.width, picture.height
