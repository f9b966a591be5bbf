"""A reading in the making, filled by readers as they go."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache

from jutrek.errors import BrokenFile
from jutrek.formats.reading import Claim, DeviceFacts, Exposure, Kind, Reading, Stretch, Tie, Timestamp, Track, Wording

MAX_CLAIMS, MAX_NOTES, MAX_TIES, MAX_PREVIEWS = 64, 16, 32, 16
MAX_KEYWORDS = 256
MAX_WORDS, MAX_SENTENCES = 200, 4000
"""Characters of a raw text that are kept, and of what a person may have written: hostile files write long ones."""
_SENTENCES = frozenset({"title", "description", "creator", "rights"})


_NOTHING_SAID = Wording()
_device = lru_cache(maxsize=256)(DeviceFacts)
"""Files of one device share its facts."""


class Draft:
    """A reading in the making. A reader fills it as it goes, so that damage costs only what lies behind it."""

    kind = Kind.OTHER
    format = "unknown"
    named = ""
    """The format that the file's extension names, of raws that nothing else tells apart."""
    make = ""
    model = ""
    serial = ""
    lens = ""
    owner = ""
    width = 0
    height = 0
    duration = 0.0
    orientation = 1
    position: tuple[float, float] | None = None
    exposure: Exposure | None = None
    frame_rate = 0.0
    timecode = ""
    channels = 0
    sample_rate = 0
    motion: Stretch | None = None
    packet: Stretch | None = None
    title = ""
    place = ""
    job = ""
    creator = ""
    rights = ""
    label = ""
    rating: int | None = None
    description = ""

    def __init__(self) -> None:
        self.claims: list[Claim] = []
        self.ties: list[Tie] = []
        self.keywords: list[str] = []
        self.without: list[str] = []
        self.previews: list[Stretch] = []
        self.orientation_at: list[int] = []
        self.payload: list[Stretch] = []
        self.notes: list[str] = []

    def claim(self, at: str, stamp: Timestamp | None, where: str, raw: str) -> None:
        """Note a claim; None (a blank date) is no claim. What was mended becomes a note.

        Args:
            at: the kind of claim.
            stamp: the date.
            where: it stands, in words.
            raw: the text or number as stored.
        """
        if stamp is None or self.crowded:
            return
        claim = Claim(at, stamp, where, raw if len(raw) <= MAX_WORDS else raw[:MAX_WORDS])
        if claim in self.claims:
            return
        self.claims.append(claim)
        if stamp.mended:
            self.note(f"{where[:1].upper()}{where[1:]} says “{claim.raw}”: {stamp.mended}.")

    @property
    def crowded(self) -> bool:
        """Whether there are as many claims as are taken: only hostile files have more."""
        return len(self.claims) >= MAX_CLAIMS

    def note(self, sentence: str) -> None:
        """Note what is odd, once."""
        if len(self.notes) < MAX_NOTES and sentence not in self.notes:
            self.notes.append(sentence)

    def tie(self, kind: str, value: str) -> None:
        """Note an identifier; an empty one is none."""
        tie = Tie(kind, value[:MAX_WORDS])
        if value and len(self.ties) < MAX_TIES and tie not in self.ties:
            self.ties.append(tie)

    def worded(self, what: str, text: str) -> None:
        """Note the title, description, place, job, creator, rights, or a keyword (`keyword`; `without` one), unless it
        is known already."""
        text = text[: MAX_SENTENCES if what in _SENTENCES else MAX_WORDS]
        text = text.strip() if what == "description" else " ".join(text.split())
        if what not in ("keyword", "without"):
            setattr(self, what, getattr(self, what) or text)
            return
        words = self.keywords if what == "keyword" else self.without
        if text and len(words) < MAX_KEYWORDS and text not in words:
            words.append(text)

    def made_by(self, make: str = "", model: str = "", serial: str = "") -> None:
        """Note the device as far as nothing better is known of it yet."""
        self.make, self.model = self.make or make[:MAX_WORDS], self.model or model[:MAX_WORDS]
        self.serial = self.serial or serial[:MAX_WORDS]

    def preview(self, stretch: Stretch) -> None:
        """Note where an embedded JPEG stands."""
        if len(self.previews) < MAX_PREVIEWS and stretch not in self.previews:
            self.previews.append(stretch)

    def packed(self, offset: int, size: int) -> None:
        """Note where in the file a packet of XMP stands; a negative offset is nowhere."""
        if self.packet is None and offset >= 0:
            self.packet = Stretch(offset, size)

    @contextmanager
    def sparing(self, part: str) -> Iterator[None]:
        """Damage within costs this part and no more; `part` begins the note, such as `The satellite data are`."""
        try:
            yield
        except BrokenFile as damage:
            self.note(f"{part} damaged. {damage}")

    def done(self) -> Reading:
        """The finished, immutable reading."""
        device = track = None
        if self.make or self.model or self.serial or self.lens or self.owner:
            device = _device(self.make, self.model, self.serial, self.lens, self.owner)
        if self.frame_rate or self.timecode or self.channels or self.sample_rate:
            track = Track(self.frame_rate, self.timecode, self.channels, self.sample_rate)
        said = Wording(
            self.title, self.place, self.job, tuple(self.keywords), self.creator, self.rights, self.label, self.rating,
            self.description, tuple(self.without),
        )  # fmt: skip
        wording = said if said != _NOTHING_SAID else None
        return Reading(
            self.kind, self.format, tuple(self.claims), device, self.width, self.height, self.duration,
            self.orientation, self.position, self.exposure, track, tuple(self.ties), tuple(self.previews), self.motion,
            tuple(self.payload), tuple(self.notes), wording, tuple(self.orientation_at),
            self.packet,
        )  # fmt: skip
