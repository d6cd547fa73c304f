"""Pictures as small as a paper needs them."""

from io import BytesIO
from typing import BinaryIO

from PIL import Image

QUALITY = 80


def small_picture(file: BinaryIO, longest: int) -> bytes:
    """The picture as JPEG, no side longer than so many dots; empty where it is none, or far too large to be opened."""
    try:
        with Image.open(file) as picture:
            picture.draft("RGB", (longest, longest))
            made = picture.convert("RGB")
        made.thumbnail((longest, longest))
        found = BytesIO()
        made.save(found, "JPEG", quality=QUALITY)
    except (OSError, ValueError, Image.DecompressionBombError):
        return b""
    return found.getvalue()
