"""XMP as another implementation of the specification reads it (Exempi), which knows nothing of ours."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

from lxml import etree

_RDF = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}"
_LISTS = frozenset(f"{_RDF}{name}" for name in ("Alt", "Bag", "Seq"))
_LANG = "{http://www.w3.org/XML/1998/namespace}lang"


def read_by_another(path: Path) -> dict[tuple[str, ...], str]:
    """All that a file or sidecar says, each value by the names on the way to it; empty where it says nothing."""
    beside = ["-X"] if path.suffix == ".xmp" else []
    done = subprocess.run(["exempi", *beside, "-x", str(path)], capture_output=True, check=False)
    at = done.stdout.find(b"<x:xmpmeta")
    if done.returncode or at < 0:
        return {}
    found: dict[tuple[str, ...], str] = {}
    for one in etree.fromstring(done.stdout[at:].rstrip(b"\0 \n")).iter(f"{_RDF}Description"):
        _walk(one, (), found)
    return found


def _walk(element: Any, above: tuple[str, ...], found: dict[tuple[str, ...], str]) -> None:
    for name, value in element.attrib.items():
        if not name.startswith(_RDF) and name != _LANG:
            found[(*above, name)] = value
    if not len(element) and above and element.tag not in _LISTS:
        found[above] = element.text or ""
    for number, child in enumerate(element):
        which = child.get(_LANG, str(number)) if child.tag == f"{_RDF}li" else child.tag
        _walk(child, above if child.tag in _LISTS else (*above, which), found)
