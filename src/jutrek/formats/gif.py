"""GIF: the size of the picture. The format has no place for a date.

Follows GIF 89a section 18 (logical screen descriptor).
"""

from __future__ import annotations

import struct

from jutrek.formats.draft import Draft
from jutrek.formats.reading import Kind, Stretch
from jutrek.formats.span import Span

SIGNATURES = (b"GIF87a", b"GIF89a")

_SCREEN = struct.Struct("<HH")


def read(span: Span, draft: Draft) -> None:
    """Read the screen descriptor."""
    draft.kind, draft.format = Kind.STILL, "gif"
    draft.width, draft.height = span.unpack(_SCREEN, 6)
    draft.payload = [Stretch(0, span.size)]
