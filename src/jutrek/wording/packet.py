"""An XMP packet that is changed: what it says beside stays as it is, in every namespace, structure and language.

Written and read as XMP part 1 (ISO 16684-1) section 7 says: properties as attributes or elements, in one description or
several; lists as `rdf:Alt`, `rdf:Bag` and `rdf:Seq`; structures as nested descriptions, or with
`rdf:parseType="Resource"`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from lxml import etree

from jutrek.formats.draft import Draft
from jutrek.formats.markup import parsed
from jutrek.wording.properties import BRANCHES, META, PREFIXES, RDF, XML, Form, Property
from jutrek.wording.spelling import Branch, tidied

_RDF, _DESCRIPTION, _ABOUT, _LI = (f"{{{RDF}}}{name}" for name in ("RDF", "Description", "about", "li"))
_LANG, _RESOURCE = f"{{{XML}}}lang", f"{{{RDF}}}parseType"
_LISTS = frozenset(f"{{{RDF}}}{form.value}" for form in Form if form.value)
_USUAL = "x-default"

for _prefix, _space in PREFIXES.items():
    etree.register_namespace(_prefix, _space)


class Packet:
    """A packet in memory.

    Attributes:
        new: whether there was none before.
    """

    def __init__(self, old: bytes = b"", prefixes: Sequence[str] = ()) -> None:
        """
        Args:
            old: what it says so far; empty where there is none.
            prefixes: of namespaces that a new one names at its head.

        Raises:
            ValueError: when it is no packet, as a sentence.
        """
        self.new = not old
        self._declared = self.new or old.lstrip(b"\xef\xbb\xbf\xff\xfe\0 ").startswith((b"<?xml", b"<\0?\0x\0m\0l\0"))
        self._meta, self._descriptions = _read(old) if old else _made(prefixes)

    def __bytes__(self) -> bytes:
        """As it is written, UTF-8, with what stands around its root; one that is not new keeps how it was laid out."""
        tree = self._meta.getroottree()
        return bytes(etree.tostring(tree, xml_declaration=self._declared, encoding="UTF-8", pretty_print=self.new))

    # ---- values

    def has(self, wanted: Property) -> bool:
        """Whether it says anything of a property, be it that it is empty."""
        return next(self._found(wanted), None) is not None

    def text(self, wanted: Property) -> str:
        """The value of a property; of languages the usual one, of lists the items joined; empty where there is none."""
        for holder, element in self._found(wanted):
            items = self._entries(element) if element is not None else []
            if element is None:
                value = str(holder.attrib[wanted.tag])
            elif items and wanted.form is Form.LANGUAGES:
                value = next((one for one in items if one.get(_LANG) == _USUAL), items[0]).text or ""
            elif items:
                value = ", ".join(text for one in items if (text := one.text or "").strip())
            else:
                value = element.text or ""
            if value.strip():
                return value.strip()
        return ""

    def values(self, wanted: Property) -> list[str]:
        """All values of a plain property, as they stand."""
        return [
            str(holder.attrib[wanted.tag]) if element is None else element.text or ""
            for holder, element in self._found(wanted)
        ]

    def inline(self, wanted: Property) -> bool:
        """Whether a property stands as an attribute."""
        return any(element is None for _, element in self._found(wanted))

    def items(self, wanted: Property) -> list[str]:
        """The items of a property that is a list of texts, each once."""
        found: dict[str, None] = {}
        for holder, element in self._found(wanted):
            items = self._entries(element) if element is not None else []
            if items:
                found.update((text, None) for one in items if (text := tidied(one.text or "")))
            elif text := tidied(holder.attrib[wanted.tag] if element is None else element.text or ""):
                found[text] = None
        return list(found)

    def branches(self) -> list[Branch]:
        """Keywords with what they stand under, as Jutrek writes them."""
        found: dict[Branch, None] = {}
        for _, element in self._found(BRANCHES):
            for item in self._entries(element) if element is not None else ():
                own = tuple(text for one in item.iter(_LI) if (text := tidied(one.text or "")))
                if own:
                    found[own] = None
        return list(found)

    # ---- changes

    def say(self, wanted: Property, value: str, *, inline: bool = False) -> None:
        """Give a property a value, in place of the one that it has. Other languages of it stay.

        An empty value stays as an empty property: `forget` leaves none.

        Args:
            wanted: the property.
            value: what it is to say.
            inline: whether one that is plain stands as an attribute.
        """
        items = self._lists(wanted) if wanted.form is Form.LANGUAGES else None
        if items is not None:
            usual = [one for one in items.iterchildren(_LI) if one.get(_LANG) == _USUAL]
            for one in usual[1:]:
                _take_out(one)
            item = usual[0] if usual else _insert(items, 0)
            item.set(_LANG, _USUAL)
            item.text = written(value)
            return
        self.forget(wanted)
        if inline:
            self._descriptions[0].set(wanted.tag, written(value))
            return
        if wanted.form is Form.TEXT:
            etree.SubElement(self._home(wanted), wanted.tag).text = written(value)
            return
        self._new_list(wanted, [value] if value or wanted.form is Form.LANGUAGES else [])

    def have(self, wanted: Property, values: Iterable[str]) -> None:
        """Let a list have these items: what stays keeps its element, what is new comes behind it."""
        left = dict.fromkeys(map(tidied, values))
        kept = frozenset(left)
        for holder, element in list(self._found(wanted)):
            items = self._entries(element) if element is not None else []
            if not items and (element is None or (element.text or "").strip()):
                # Not a list, though it has to be one: what it says becomes an item.
                _drop(holder, element, wanted.tag)
            for item in items:
                text = tidied(item.text or "")
                left.pop(text, None)
                if text not in kept:
                    _take_out(item)
        if not left:
            return
        found = self._lists(wanted)
        if found is None:
            self._new_list(wanted, list(left))
            return
        for value in left:
            _insert(found, len(found)).text = written(value)

    def have_branches(self, branches: Sequence[Branch]) -> None:
        """Let these be the keywords with what they stand under."""
        if branches == self.branches():
            return
        self.forget(BRANCHES)
        if not branches:
            return
        items = self._new_list(BRANCHES, [])
        for branch in branches:
            item = etree.SubElement(items, _LI)
            parts = etree.SubElement(item, f"{{{RDF}}}Seq")
            for one in branch:
                etree.SubElement(parts, _LI).text = written(one)

    def add_structure(self, wanted: Property, fields: Mapping[Property, str]) -> None:
        """Add a structure to a list of such."""
        items = self._lists(wanted)
        if items is None:
            items = self._new_list(wanted, [])
        item = etree.SubElement(items, _LI, {_RESOURCE: "Resource"})
        for field, value in fields.items():
            etree.SubElement(item, field.tag).text = written(value)

    def forget(self, wanted: Property) -> None:
        """Say nothing of a property, and take out the structure that held only it."""
        for holder, element in list(self._found(wanted)):
            _drop(holder, element, wanted.tag)
            above = holder if wanted.within else None
            while above is not None and above not in self._descriptions and not len(above) and not _says(above):
                outer = above.getparent()
                _take_out(above)
                above = outer

    # ---- where it stands

    def _found(self, wanted: Property) -> Iterator[tuple[Any, Any]]:
        """All that a property is said by: what holds it, and its element; None for an attribute."""
        for holder in self._holders(wanted):
            if wanted.tag in holder.attrib:
                yield holder, None
            for element in holder.findall(wanted.tag):
                yield holder, element

    def _holders(self, wanted: Property) -> Iterator[Any]:
        for one in self._descriptions:
            if not wanted.within:
                yield one
                continue
            for structure in one.findall(wanted.within):
                yield structure
                yield from structure.findall(_DESCRIPTION)

    def _home(self, wanted: Property) -> Any:
        """What a property goes into that is not there yet."""
        if not wanted.within:
            return self._descriptions[0]
        for structure in (one.find(wanted.within) for one in self._descriptions):
            if structure is not None:
                return _inner(structure)
        return etree.SubElement(self._descriptions[0], wanted.within, {_RESOURCE: "Resource"})

    def _lists(self, wanted: Property) -> Any | None:
        """The first list that a property has, whichever kind of list somebody made it."""
        for _, element in self._found(wanted):
            if element is not None and (found := next((one for one in element if one.tag in _LISTS), None)) is not None:
                return found
        return None

    def _entries(self, element: Any) -> list[Any]:
        return [item for one in element if one.tag in _LISTS for item in one.iterchildren(_LI)]

    def _new_list(self, wanted: Property, values: Sequence[str]) -> Any:
        element = next((element for _, element in self._found(wanted) if element is not None), None)
        if element is None:
            element = etree.SubElement(self._home(wanted), wanted.tag)
        items = etree.SubElement(element, f"{{{RDF}}}{wanted.form.value}")
        for value in values:
            item = etree.SubElement(items, _LI)
            item.text = written(value)
            if wanted.form is Form.LANGUAGES:
                item.set(_LANG, _USUAL)
        return items


def _made(prefixes: Sequence[str]) -> tuple[Any, list[Any]]:
    meta = etree.Element(f"{{{META}}}xmpmeta", nsmap={"x": META})
    rdf = etree.SubElement(meta, _RDF, nsmap={"rdf": RDF})
    spaces = {prefix: PREFIXES[prefix] for prefix in prefixes}
    return meta, [etree.SubElement(rdf, _DESCRIPTION, {_ABOUT: ""}, nsmap=spaces)]


def _read(old: bytes) -> tuple[Any, list[Any]]:
    draft = Draft()
    meta = parsed(old, draft, "The sidecar's data")
    rdf = next(meta.iter(_RDF), None) if meta is not None else None
    found = rdf.findall(_DESCRIPTION) if rdf is not None else []
    if not found:
        raise ValueError(" ".join(draft.notes) or "its sidecar holds no description.")
    return meta, found


def _inner(structure: Any) -> Any:
    """What the fields of a structure stand in; one whose fields are attributes gets a description that has them.

    RDF/XML allows no elements beside such attributes (RDF 1.1 XML Syntax 7.2.21), and other programs refuse it.
    """
    inner = structure.find(_DESCRIPTION)
    if inner is not None:
        return inner
    fields = [name for name in structure.attrib if not name.startswith((f"{{{RDF}}}", f"{{{XML}}}"))]
    if not fields:
        structure.set(_RESOURCE, "Resource")
        return structure
    inner = etree.Element(_DESCRIPTION)
    for name in fields:
        inner.set(name, structure.attrib.pop(name))
    inner.extend(list(structure))
    structure.attrib.pop(_RESOURCE, None)
    structure.append(inner)
    return inner


def _drop(holder: Any, element: Any, tag: str) -> None:
    if element is None:
        del holder.attrib[tag]
    else:
        _take_out(element)


def _says(element: Any) -> bool:
    """Whether an element without children says anything but how it is written."""
    return bool((element.text or "").strip()) or any(name not in (_RESOURCE, _ABOUT) for name in element.attrib)


def _insert(items: Any, at: int) -> Any:
    """A new item of a list, laid out as those are that stand there."""
    item = etree.Element(_LI)
    items.insert(at, item)
    if at and (before := item.getprevious()) is not None:
        item.tail = before.tail
        before.tail = items.text
    elif not at:
        item.tail = items.text if len(items) > 1 else None
    return item


def _take_out(element: Any) -> None:
    """Take an element out of its parent, and leave the text behind it unless that is only how it was laid out."""
    before, parent = element.getprevious(), element.getparent()
    tail = element.tail if (element.tail or "").strip() or element.getnext() is None else ""
    if tail and before is not None:
        before.tail = ((before.tail or "") if (before.tail or "").strip() else "") + tail
    elif tail:
        parent.text = ((parent.text or "") if (parent.text or "").strip() else "") + tail
    parent.remove(element)


def written(text: str) -> str:
    """A text without what XML cannot hold; lines stay."""
    plain = text.encode("utf-8", "replace").decode()
    return "".join(sign if sign.isprintable() or sign == "\n" else "?" for sign in plain)
