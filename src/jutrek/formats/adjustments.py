"""AAE: the property list that phones write beside a picture that was edited. Its date is that of the edit.

Follows the XML property list format: a `key` element, then its value.
"""

from __future__ import annotations

from jutrek.formats.draft import Draft
from jutrek.formats.markup import MAX_MARKUP, elements, is_xml, parsed, plain
from jutrek.formats.span import Span
from jutrek.formats.timestamps import parse

MARK = b"adjustmentBaseVersion"
_WHERE = "the time of the edit"
_TYPE = b'<!DOCTYPE plist PUBLIC "-//Apple//DTD PLIST 1.0//EN" "http://www.apple.com/DTDs/PropertyList-1.0.dtd">'


def starts(head: bytes, _: int) -> bool:
    """Whether a text begins as a property list of an edit does."""
    return is_xml(head) and MARK in plain(head)


def read(span: Span, draft: Draft) -> None:
    """Read the property list. Its document type is known and declares nothing, so it is taken out first."""
    root = parsed(span.upto(0, MAX_MARKUP + 1).replace(_TYPE, b""), draft, "The edit's data")
    key = ""
    for element in elements(root) if root is not None else ():
        words = (element.text or "").strip()
        if element.tag == "key":
            key = words
        elif key == "adjustmentTimestamp" and element.tag == "date":
            draft.claim("aae:changed", parse(words), _WHERE, words)
