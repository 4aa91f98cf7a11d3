"""Small versions of pictures, made after they were taken: a page in bad wireless does not wait for the large ones."""

from __future__ import annotations

from typing import Any

from work import kinds
from work.doing import Progress, ask
from workshop.pictures import smaller

from .models import Picture


def ask_small(picture: Picture) -> None:
    """Have the small version made."""
    ask("thumbnail", "A picture, small", None, {"picture": picture.pk})


def _make(progress: Progress, told: dict[str, Any]) -> tuple[str, dict[str, Any]]:
    picture = Picture.objects.filter(pk=told["picture"], small=None).first()
    if picture is not None:
        picture.small = smaller(bytes(picture.image))
        picture.save(update_fields=["small"])
    return "", {}


kinds.register(kinds.Kind("thumbnail", _make, alone=lambda told: str(told["picture"]), quiet=True))
