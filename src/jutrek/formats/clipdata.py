"""Clip data: the XML that video cameras write within a clip or beside it.

The root is `NonRealTimeMeta`, in a namespace that changes with its version, so elements are known by their local names:
`CreationDate value` (local time with offset), `Device manufacturer modelName serialNo`, `Duration value` in frames,
`LtcChange` for the timecode, `TargetMaterial umidRef`, `Lens modelName`.
"""

from __future__ import annotations

from typing import Any

from jutrek.formats.draft import Draft
from jutrek.formats.markup import MAX_MARKUP, elements, is_xml, local_name, parsed, plain
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

ROOT = b"NonRealTimeMeta"
_WHERE = "the camera's clip data"


def read(document: bytes, draft: Draft) -> None:
    """Read clip data. Damage becomes a note."""
    root = parsed(document, draft, "The clip data")
    for element in elements(root) if root is not None else ():
        _element(local_name(element), element.attrib, draft)


def starts(head: bytes, _: int) -> bool:
    """Whether a text begins as clip data do."""
    return is_xml(head) and ROOT in plain(head)


def read_sidecar(span: Span, draft: Draft) -> None:
    """Read a file that holds nothing but clip data."""
    read(span.upto(0, MAX_MARKUP + 1), draft)


def find(body: Span, draft: Draft) -> bool:
    """Look for clip data in a box of unknown layout. True where there were some."""
    data = body.upto(0, 65_536)
    name = data.find(ROOT)
    start = data.rfind(b"<?xml", 0, name) if name >= 0 else -1
    if start < 0:
        return False
    end = data.find(b"</" + ROOT + b">", start)
    read(data[start : end + len(ROOT) + 3] if end >= 0 else data[start:], draft)
    return True


def _element(name: str, attributes: Any, draft: Draft) -> None:
    if name == "CreationDate":
        raw = attributes.get("value", "")
        draft.claim("clipdata", parse(raw), _WHERE, raw)
    elif name == "Device":
        make, model, serial = (attributes.get(key, "") for key in ("manufacturer", "modelName", "serialNo"))
        draft.made_by(make, model, serial)
    elif name == "Lens":
        draft.lens = draft.lens or attributes.get("modelName", "")[:200]
    elif name == "TargetMaterial":
        draft.tie("umid", attributes.get("umidRef", ""))
