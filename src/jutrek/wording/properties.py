"""Properties of XMP that Jutrek writes: published namespaces, and of each property its form.

Core: XMP part 1 (ISO 16684-1) section 8; press wording: the IPTC Photo Metadata Standard 2023.2, Core 1.5 and
Extension 1.8; clips and pictures: XMP part 2. One namespace is Jutrek's own: what no published one holds.
"""

from __future__ import annotations

from enum import Enum
from typing import NamedTuple

from jutrek.formats.xmp import OWN

META = "adobe:ns:meta/"
RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
XML = "http://www.w3.org/XML/1998/namespace"
DC = "http://purl.org/dc/elements/1.1/"
XMP = "http://ns.adobe.com/xap/1.0/"
XMP_RIGHTS = "http://ns.adobe.com/xap/1.0/rights/"
MEDIA = "http://ns.adobe.com/xap/1.0/mm/"
EXIF = "http://ns.adobe.com/exif/1.0/"
TIFF = "http://ns.adobe.com/tiff/1.0/"
PHOTOSHOP = "http://ns.adobe.com/photoshop/1.0/"
EXTENSION = "http://iptc.org/std/Iptc4xmpExt/2008-02-29/"
CORE = "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/"

PREFIXES = {
    "dc": DC, "xmp": XMP, "xmpRights": XMP_RIGHTS, "xmpMM": MEDIA, "exif": EXIF, "tiff": TIFF, "photoshop": PHOTOSHOP,
    "Iptc4xmpCore": CORE, "Iptc4xmpExt": EXTENSION, "jutrek": OWN,
}  # fmt: skip
"""What namespaces are called where a packet does not call them otherwise."""


class Form(Enum):
    """How a value is written (part 1, section 6.3 and 7): plain, or as a list of one kind."""

    TEXT = ""
    LANGUAGES = "Alt"
    IN_ORDER = "Seq"
    ANY_ORDER = "Bag"


class Property(NamedTuple):
    """A property.

    Attributes:
        space, local: its namespace and name in it.
        form: how its value is written.
        within: the structure that it is a field of, as its full name; empty for none.
    """

    space: str
    local: str
    form: Form = Form.TEXT
    within: str = ""

    @property
    def tag(self) -> str:
        """Its full name, as XML libraries write it."""
        return f"{{{self.space}}}{self.local}"


_CONTACT = f"{{{CORE}}}CreatorContactInfo"


class Field(Enum):
    """What a person says of a capture, beside keywords."""

    TITLE = Property(DC, "title", Form.LANGUAGES)
    DESCRIPTION = Property(DC, "description", Form.LANGUAGES)
    CREATOR = Property(DC, "creator", Form.IN_ORDER)
    RIGHTS = Property(DC, "rights", Form.LANGUAGES)
    USAGE = Property(XMP_RIGHTS, "UsageTerms", Form.LANGUAGES)
    CREDIT = Property(PHOTOSHOP, "Credit")
    SOURCE = Property(PHOTOSHOP, "Source")
    JOB = Property(PHOTOSHOP, "TransmissionReference")
    PLACE = Property(CORE, "Location")
    CITY = Property(PHOTOSHOP, "City")
    STATE = Property(PHOTOSHOP, "State")
    COUNTRY = Property(PHOTOSHOP, "Country")
    CODE = Property(CORE, "CountryCode")
    EMAIL = Property(CORE, "CiEmailWork", within=_CONTACT)
    PHONE = Property(CORE, "CiTelWork", within=_CONTACT)
    WEB = Property(CORE, "CiUrlWork", within=_CONTACT)
    ADDRESS = Property(CORE, "CiAdrExtadr", within=_CONTACT)

    @property
    def word(self) -> str:
        """What it is called, in small letters."""
        return self.name.lower()


SUBJECT = Property(DC, "subject", Form.ANY_ORDER)
BRANCHES = Property(OWN, "Keywords", Form.ANY_ORDER)
"""Keywords with what they stand under: each a list (`rdf:Seq`) from the outermost to the keyword itself."""
TAKEN_OFF = Property(OWN, "KeywordsTakenOff", Form.ANY_ORDER)
"""Keywords that stand in a file itself, and that somebody took off: they do not count any more."""
LABEL = Property(XMP, "Label")
ORIENTATION = Property(TIFF, "Orientation")
SHOT = Property(EXIF, "DateTimeOriginal")
PRESERVED_NAME = Property(MEDIA, "PreservedFileName")
CREATED_AT = Property(EXTENSION, "LocationCreated", Form.ANY_ORDER)
"""Where the camera was (IPTC Extension, Location Created): structures with these fields, by what is said of each."""
CREATED_FIELDS = {
    Field.PLACE: Property(EXTENSION, "Sublocation"), Field.CITY: Property(EXTENSION, "City"),
    Field.STATE: Property(EXTENSION, "ProvinceState"), Field.COUNTRY: Property(EXTENSION, "CountryName"),
    Field.CODE: Property(EXTENSION, "CountryCode"),
}  # fmt: skip
MARKED = Property(XMP_RIGHTS, "Marked")
"""`True` for what is under somebody's rights (part 1, section 8.5)."""
