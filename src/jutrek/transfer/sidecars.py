"""A corrected date beside its file: an XMP sidecar (ISO 16684-1) with `exif:DateTimeOriginal` and nothing else.

The file itself keeps its own times. The sidecar is new, whole and durable, or not there; what stands under its name
already is left as it is.
"""

from __future__ import annotations

import os

from lxml import etree

from jutrek.disk import write_new
from jutrek.errors import reason
from jutrek.filing import Row

_META = "adobe:ns:meta/"
_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_EXIF = "http://ns.adobe.com/exif/1.0/"


def sidecar_text(row: Row) -> bytes:
    """The sidecar of a row with a corrected moment."""
    meta = etree.Element(f"{{{_META}}}xmpmeta", nsmap={"x": _META})
    rdf = etree.SubElement(meta, f"{{{_RDF}}}RDF", nsmap={"rdf": _RDF})
    about = etree.SubElement(rdf, f"{{{_RDF}}}Description", {f"{{{_RDF}}}about": ""}, nsmap={"exif": _EXIF})
    etree.SubElement(about, f"{{{_EXIF}}}DateTimeOriginal").text = row.moment
    return bytes(etree.tostring(meta, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def write_sidecar(library: str, row: Row) -> str:
    """Write the sidecar of a row that is home. Returns why it was not written, or an empty string."""
    try:
        write_new(os.path.join(library, row.sidecar), sidecar_text(row))
    except OSError as error:
        return f"Its corrected date was not written beside it: {reason(error)}."
    return ""
