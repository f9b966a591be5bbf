"""Which files are one press of the button: by folder and stem, by dates inside, and by what ties them.

The same stem is not enough: in another folder, with other dates inside, or with another content identifier it is
another capture. Every tie, and every parting, has its reason in words.
"""

from __future__ import annotations

import os
import re
from collections import defaultdict
from collections.abc import Iterable, Iterator
from datetime import datetime, timedelta

from jutrek.captures.capture import TRACK, Capture, ReadFile
from jutrek.captures.devices import device_key
from jutrek.captures.moment import INSIDE, Moment, Trust
from jutrek.formats import MEDIA_SUFFIXES, Kind, format_of

_RANK = {Kind.STILL: 1, Kind.CLIP: 2, Kind.SOUND: 3, Kind.SIDECAR: 4, Kind.OTHER: 5}
_BESIDE = frozenset({Kind.SIDECAR, Kind.OTHER})
_TRUST = {trust: number for number, trust in enumerate(Trust)}
_THUMBNAIL, _LIGHT = ".thm", ".lrv"
_CLIP_DATA = re.compile(r"M\d\d$", re.IGNORECASE)
"""What cameras put between a clip's stem and the extension of its data."""
_PROXY_FOLDERS = frozenset({"proxy", "proxies", "sub"})
_EDIT = re.compile(r"[ _\-]+edit(?:ed)?(?:[ _\-]?\d{1,3})?$", re.IGNORECASE)
"""What editors put behind the name of a picture for what they made of it."""
_PROXY_END = re.compile(r"(_proxy|S\d\d)$", re.IGNORECASE)
SAME_PRESS = timedelta(seconds=60)
"""Files of one stem whose own dates are further apart than this are two captures."""

_SAME_SECOND = timedelta(seconds=1)
_Key = tuple[str, str]


def tied(files: Iterable[ReadFile], *, alone: bool = False) -> list[Capture]:
    """Tie files into captures. Files of kind `other` are left out, but for those that are named after another one.

    A sidecar of any kind is tied by `stem.xmp` as well as by `stem.ext.xmp`, what was made of a picture by
    `stem-Edit.ext`, clip data by `stemM01.XML`, a proxy in a folder of its own (`Proxy`, `SUB`) or by its extension
    (`.LRV`), the tracks of a take by what stands behind the common stem.

    Args:
        alone: whether files of kind `other` that are named after nothing are told as captures of their own.
    """
    stems: dict[_Key, list[ReadFile]] = defaultdict(list)
    proxies: list[tuple[_Key, ReadFile]] = []
    for read in files:
        kind = read.reading.kind
        if kind is Kind.CLIP and (key := _proxy_of(read)) is not None:
            proxies.append((key, read))
        else:
            stems[_stem(read)].append(read)
    placed = _place_proxies(stems, proxies)
    _join_edits(stems)
    _join_siblings(stems)
    captures: list[Capture] = []
    for same in stems.values():
        if not alone and all(read.reading.kind is Kind.OTHER for read in same):
            continue
        captures += [_capture(same, placed)] if len(same) == 1 else _captures(same, placed)
    return captures


def named_after(others: Iterable[ReadFile], files: Iterable[ReadFile]) -> frozenset[str]:
    """The paths of files of kind `other` that are sidecars by their names: beside a file of the same stem.

    A picture, clip or sound that could not be read as one is never taken for a sidecar.
    """
    keys = {_bare(_stem(read)) for read in files}
    return frozenset(
        read.file.path
        for read in others
        if os.path.splitext(read.file.path)[1].lower() not in MEDIA_SUFFIXES and _bare(_stem(read)) in keys
    )


def without_edit(stem: str) -> str:
    """The stem of a picture, of the stem of what was made of it."""
    return _EDIT.sub("", stem)


def _bare(key: _Key) -> _Key:
    return key[0], without_edit(key[1])


def developed_beside_raw(capture: Capture) -> frozenset[str]:
    """The paths of pictures that a device developed beside its raw, and of their own sidecars."""
    first = capture.primary.reading
    if len(capture.files) == 1 or first.kind is not Kind.STILL or format_of(first.format).developed:
        return frozenset()
    pictures = {
        read.file.path
        for read in capture.files
        if read.reading.kind is Kind.STILL and _developed(read) and not read.file.path.lower().endswith(_THUMBNAIL)
    }
    beside = {
        read.file.path
        for read in capture.files
        if read.reading.kind in _BESIDE and os.path.splitext(read.file.path)[0] in pictures
    }
    return frozenset(pictures | beside)


def _developed(read: ReadFile) -> bool:
    return format_of(read.reading.format).developed


def _stem(read: ReadFile) -> _Key:
    folder, name = os.path.split(read.file.path)
    stem = os.path.splitext(name)[0]
    kind = read.reading.kind
    if kind in _BESIDE:
        inner, suffix = os.path.splitext(stem)
        stem = inner if suffix.lower() in MEDIA_SUFFIXES else stem
        if read.reading.format == "clipdata":
            stem = _CLIP_DATA.sub("", stem)
    elif kind is Kind.SOUND:
        stem = TRACK.sub("", stem)
    return folder, stem.casefold()


def _proxy_of(read: ReadFile) -> _Key | None:
    """The folder above a proxy's own, and the stem of its clip; None for what is no proxy."""
    folder, name = os.path.split(read.file.path)
    stem, suffix = os.path.splitext(name)
    above, own = os.path.split(folder)
    if own.casefold() in _PROXY_FOLDERS:
        return above, _PROXY_END.sub("", stem).casefold()
    if suffix.lower() == _LIGHT:
        return folder, stem.casefold()
    return None


def _join_edits(stems: dict[_Key, list[ReadFile]]) -> None:
    """Put what was made of a picture, and its sidecars, to the picture."""
    for folder, stem in list(stems):
        bare = without_edit(stem)
        if bare != stem and any(read.reading.kind is not Kind.OTHER for read in stems.get((folder, bare), ())):
            stems[folder, bare] += stems.pop((folder, stem))


def _edit_of(read: ReadFile) -> str:
    """What stands behind the stem of what was made of a picture; empty for anything else."""
    stem = os.path.splitext(os.path.basename(read.file.path))[0]
    if read.reading.kind in _BESIDE:
        inner, suffix = os.path.splitext(stem)
        stem = inner if suffix.lower() in MEDIA_SUFFIXES else stem
    found = _EDIT.search(stem)
    return found[0] if found else ""


def _join_siblings(stems: dict[_Key, list[ReadFile]]) -> None:
    """Put developed pictures from a folder beside the raws' to their raws: one press, sorted apart by format."""
    raws: dict[_Key, _Key] = {}
    for (folder, stem), same in stems.items():
        if any(read.reading.kind is Kind.STILL and not _developed(read) for read in same):
            raws[os.path.dirname(folder), stem] = folder, stem
    for folder, stem in list(stems) if raws else ():
        beside = raws.get((os.path.dirname(folder), stem))
        if beside is None or beside == (folder, stem):
            continue
        pictures = [read for read in stems[folder, stem] if read.reading.kind is Kind.STILL]
        raw = next(read for read in stems[beside] if not _developed(read))
        if pictures and all(_developed(read) and _one_press(raw, read) for read in pictures):
            stems[beside] += stems.pop((folder, stem))


def _one_press(one: ReadFile, other: ReadFile) -> bool:
    """Whether two files of one name are of the same device and second."""
    when, then = _own_date(one), _own_date(other)
    keys = {device_key(read.reading.device, read.file.root) for read in (one, other)}
    return len(keys) == 1 and when is not None and then is not None and abs(then - when) <= _SAME_SECOND


_Paths = frozenset[str]


def _place_proxies(stems: dict[_Key, list[ReadFile]], proxies: list[tuple[_Key, ReadFile]]) -> _Paths:
    """Put proxies beside their clips: in the folder above, in a folder beside, or under another two letters.

    Returns:
        The paths of those that found one; what found none is no proxy.
    """
    if not proxies:
        return frozenset()
    placed: set[str] = set()
    clips: dict[str, list[_Key]] = defaultdict(list)
    for key, same in stems.items():
        if any(read.reading.kind is Kind.CLIP for read in same):
            clips[key[1]].append(key)
            clips[key[1][2:]].append(key)
    for (above, stem), read in proxies:
        folders = (above, os.path.dirname(read.file.path))
        candidates = [key for key in clips[stem] if key[1] == stem] + (
            [key for key in clips[stem[2:]] if key[1][2:] == stem[2:]]
            if read.file.path.lower().endswith(_LIGHT)
            else []
        )
        near = next((key for key in candidates if key[0] in folders or os.path.dirname(key[0]) == above), None)
        stems[near or _stem(read)].append(read)
        placed.update([read.file.path] if near else [])
    return frozenset(placed)


def turn(read: ReadFile, proxies: _Paths = frozenset()) -> tuple[int, bool, bool, bool, str]:
    """A raw before its developed picture, stills before clips before sound; proxies, sidecars and thumbnails last.

    What was made of a picture comes behind it.
    """
    rank = _RANK[read.reading.kind]
    if read.file.path.lower().endswith(_THUMBNAIL):
        rank = _RANK[Kind.SIDECAR]
    return rank, read.file.path in proxies, bool(_edit_of(read)), _developed(read), read.file.path


def _captures(same: list[ReadFile], proxies: _Paths) -> Iterator[Capture]:
    """Split files of one stem by their own dates and identifiers; what has none goes with the first."""
    same.sort(key=lambda read: turn(read, proxies))
    piles: list[list[tuple[ReadFile, str]]] = []
    for read in same:
        edit = _edit_of(read)
        for pile in sorted(piles, key=lambda pile: _edit_of(pile[0][0]) != edit):
            why = _why_tied(pile[0][0], read)
            if why:
                why = "a proxy of it" if read.file.path in proxies else why
                pile.append((read, why))
                break
        else:
            piles.append([(read, "")])
    for pile in piles:
        others = [other[0][0] for other in piles if other is not pile]
        apart = _why_apart(pile[0][0], others)
        yield _capture([read for read, _ in pile], proxies, apart, [why for _, why in pile])


def _why_tied(first: ReadFile, read: ReadFile) -> str:
    """Why a file belongs to a capture that another one leads; empty where it does not."""
    if read.reading.kind in _BESIDE:
        return "named after it"
    one, other = _content(first), _content(read)
    if one and other:
        return "the same content identifier" if one == other else ""
    when, led = _own_date(read), _own_date(first)
    is_edit = bool(_edit_of(read)) and not _edit_of(first)
    if when is None or led is None:
        return "made of it" if is_edit else "the same name"
    if abs(when - led) > SAME_PRESS:
        return ""
    return "made of it" if is_edit else "the same name and time"


def _content(read: ReadFile) -> str:
    return next((tie.value for tie in read.reading.ties if tie.kind == "content"), "")


def _why_apart(first: ReadFile, others: list[ReadFile]) -> str:
    if not others:
        return ""
    other = os.path.basename(others[0].file.path)
    one, two = _own_date(first), _own_date(others[0])
    if one and two and abs(two - one) > SAME_PRESS:
        return f"{other} has the same name and was shot at {two:%Y-%m-%d %H:%M}: it is a capture of its own."
    return f"{other} has the same name and another content identifier: it is a capture of its own."


def _own_date(read: ReadFile) -> datetime | None:
    moment = read.moment
    if moment is None or read.reading.claims[moment.claim].at not in INSIDE:
        return None
    return moment.local


def _capture(files: list[ReadFile], proxies: _Paths, apart: str = "", why: list[str] | None = None) -> Capture:
    dated_by = min(range(len(files)), key=lambda number: _strength(files[number].moment)) if len(files) > 1 else 0
    facts = next((read.reading.device for read in files if read.reading.device), None)
    return Capture(
        tuple(files),
        files[dated_by].moment,
        device_key(facts, files[0].file.root),
        dated_by,
        _tails(files, proxies) if len(files) > 1 else (),
        tuple(why or ()),
        notes=(apart,) if apart else (),
    )


def _tails(files: list[ReadFile], proxies: _Paths) -> tuple[str, ...]:
    tails = []
    for read in files:
        track = TRACK.search(os.path.splitext(os.path.basename(read.file.path))[0])
        is_track = track is not None and read.reading.kind is Kind.SOUND
        tail = f"_{track[1].lower()}" if is_track and track else "_proxy" if read.file.path in proxies else ""
        tails.append(tail or ("" if _edit_of(files[0]) else _edit_of(read)))
    return tuple(tails) if any(tails) else ()


def _strength(moment: Moment | None) -> int:
    return _TRUST[moment.trust] if moment else len(_TRUST)
