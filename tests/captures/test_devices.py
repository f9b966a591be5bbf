"""Devices: one body however it is spelt, two bodies of one model, and what a library remembers of them."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest

from jutrek.captures import Capture, Device, ReadFile, assign, device_key, group
from jutrek.formats import DeviceFacts
from jutrek.library import Library, keep_devices, known_devices
from jutrek.sources import Medium, Source
from tests.captures.make import M2, at, every, file, shot

COMPACT = DeviceFacts("Arlen", "C1")


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        (("ARLEN CORPORATION", "ARLEN M2", "0417"), ("Arlen", "M2", "417"), True),
        (("Arlen Imaging Co., Ltd.", "M2", "A2-1"), ("arlen", "m2", "A21"), True),
        (("Arlen", "M2", "1"), ("Arlen", "M2", "2"), False),
        (("Arlen", "M2", ""), ("Arlen", "M1", ""), False),
        (("Hovar", "M2", ""), ("Arlen", "M2", ""), False),
    ],
)
def test_a_device_is_one_however_it_is_spelt(one: tuple[str, ...], other: tuple[str, ...], *, same: bool) -> None:
    """The words of a firm, case, signs and leading zeros do not make another device; a serial number does."""
    keys = {device_key(DeviceFacts(*facts), "/card") for facts in (one, other)}
    assert (len(keys) == 1) is same


def test_what_names_no_device_is_its_sources() -> None:
    """Files without make and model are told by where they lie."""
    assert device_key(None, "/a") != device_key(None, "/b")
    assert device_key(DeviceFacts(serial="1"), "/a") == device_key(None, "/a")


def test_clips_without_a_serial_are_of_the_body_beside_them() -> None:
    """Phones and cameras leave the serial out of their clips."""
    phone = DeviceFacts("Skarv", "P4", "77")
    captures = group([file("a.jpg", at("09:00"), phone), file("b.mp4", at("09:01"), replace_serial(phone))])
    assert len({capture.device for capture in captures}) == 1


def replace_serial(facts: DeviceFacts) -> DeviceFacts:
    return facts._replace(serial="")


def two_cards(interleaved: bool) -> list[ReadFile]:
    """Twelve pictures of one model on two cards: of one body that changed its card, or of two bodies."""
    files = []
    for number in range(12):
        card = number % 2 if interleaved else number // 6
        counter = 100 + number // 2 if interleaved else 100 + number
        when = at("09:00") + timedelta(minutes=number)
        files.append(file(f"DCIM/{counter}.JPG", when, COMPACT, root=f"/card{card}"))
    return files


@pytest.mark.parametrize(("interleaved", "bodies"), [(False, 1), (True, 2)])
def test_counters_tell_two_bodies_of_one_model(*, interleaved: bool, bodies: int) -> None:
    """A counter that goes on from card to card is one body's; two counters side by side are of two."""
    assert len({capture.device for capture in group(two_cards(interleaved))}) == bodies


def test_one_model_can_be_told_apart_by_hand() -> None:
    """Where nothing tells bodies apart, a person may."""
    files = two_cards(interleaved=False)
    (key,) = {capture.device for capture in group(files)}
    assert {capture.device for capture in group(files, split=frozenset({key}))} == {f"{key}@/card0", f"{key}@/card1"}


def cards(*roots: str) -> list[Source]:
    return [Source(f"/{root}", root, Medium.CARD) for root in roots]


def pictures(root: str, facts: DeviceFacts) -> list[Capture]:
    return [shot(f"/{root}/1.JPG", at("09:00"), facts, root=f"/{root}")]


def test_a_library_remembers_its_devices(library: Library) -> None:
    """Letter, colour, name and operator stay; others keep theirs, and a new one takes what is free."""
    captures = {"/one": pictures("one", COMPACT), "/two": pictures("two", M2)}
    first = assign(cards("one", "two"), captures)
    named = [replace(device, name="Ilvar's compact", operator="Ilvar") for device in list(first.values())[:1]]
    keep_devices(library, [*named, first[captures["/two"][0].device]])
    known = known_devices(library)
    again = assign(cards("two", "one"), captures, known)
    assert {key: (one.letter, one.colour) for key, one in again.items()} == {
        key: (one.letter, one.colour) for key, one in first.items()
    }
    assert again[captures["/one"][0].device].operator == "Ilvar"
    third = pictures("three", DeviceFacts("Hovar", "4K"))
    (new,) = (
        device for key, device in assign(cards("three"), {"/three": third}, known).items() if key == third[0].device
    )
    assert new.letter not in {one.letter for one in known.values()}


def test_a_letter_is_borne_by_one(library: Library) -> None:
    """Two devices that were given the same letter on different days do not both bear it on one."""
    captures = {"/one": pictures("one", COMPACT), "/two": pictures("two", M2)}
    keys = [own[0].device for own in captures.values()]
    known = {key: Device(key, key, "B", 1) for key in keys}
    again = assign(cards("one", "two"), captures, known)
    assert [again[key].letter for key in keys] == ["B", "A"]


def test_a_damaged_list_is_an_empty_one(library: Library) -> None:
    """A list that was edited into nonsense costs letters, not files; sources without a device are not kept."""
    keep_devices(library, [Device("source:/card", "Unknown camera", "A")])
    assert known_devices(library) == {}
    path = f"{library.own}/devices.toml"
    for text in ("device = 3", "[[device]]\nkey = 1", "\0"):
        with open(path, "w", encoding="utf-8") as page:
            page.write(text)
        assert known_devices(library) == {}


def test_two_of_a_model_in_one_folder_are_told_by_their_counters() -> None:
    """Counters far apart that take turns are of two bodies; one that began anew, or is out of order, is of one."""
    bare = DeviceFacts("Arlen", "M2")

    def bodies(*numbers: int) -> int:
        times = every(3, len(numbers), at("09:00"))
        shots = [file(f"IMG_{n:04}.JPG", when, bare) for n, when in zip(numbers, times, strict=True)]
        return len({capture.device for capture in group(shots)})

    turns = [n for k in range(8) for n in (100 + k, 4000 + 2 * k, 4001 + 2 * k)]
    assert bodies(*turns) == 2
    assert bodies(*range(100, 110), *range(4000, 4010)) == 1
    assert bodies(*range(9990, 10000), *range(1, 11)) == 1
    assert bodies(*[n + (1, -1)[n % 2] for n in range(100, 120)]) == 1
    # Five of each, six turns, and more than sixty numbers between them are enough; less of any is not.
    for taking, gap, found in (
        ("aabbaabbaab", 61, 2), ("aabbaabaab", 61, 1), ("aabbbaabbbaa", 61, 1), ("aabbaabbaab", 60, 1)
    ):  # fmt: skip
        rows = {"a": iter(range(100, 106)), "b": iter(range(105 + gap, 200))}
        assert bodies(*(next(rows[turn]) for turn in taking)) == found
