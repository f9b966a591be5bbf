"""What a shell completes: libraries, runs, devices, places, keys of house rules, pieces of patterns.

A shell asks while somebody types: nothing here says anything, writes anything or fails.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from functools import wraps

import typer

from jutrek.words import counted

Found = Iterator[tuple[str, str]]
"""What may be typed, each with a word or two about it."""


def is_completing() -> bool:
    """Whether a shell asks, and nobody has called a command."""
    return "_JUTREK_COMPLETE" in os.environ


def _quiet(find: Callable[[typer.Context, str], Found]) -> Callable[[typer.Context, str], list[tuple[str, str]]]:
    @wraps(find)
    def found(ctx: typer.Context, incomplete: str) -> list[tuple[str, str]]:
        try:
            return [one for one in find(ctx, incomplete) if one[0].startswith(incomplete)]
        except Exception:  # noqa: BLE001 - a shell that waits is answered, whatever is the matter with a library
            return []

    return found


def _library(ctx: typer.Context) -> str:
    from jutrek.desk.settings import last_library

    return str(ctx.params.get("library") or last_library())


@_quiet
def libraries(ctx: typer.Context, incomplete: str) -> Found:
    """The library used last, and folders."""
    from jutrek.desk.settings import last_library

    if last := last_library():
        yield last, "used last"
    folder, _, _ = incomplete.rpartition("/")
    with os.scandir(folder or ("/" if incomplete.startswith("/") else ".")) as entries:
        for entry in sorted(entries, key=lambda one: one.name):
            if entry.is_dir() and not entry.name.startswith("."):
                yield f"{folder}/{entry.name}" if folder or incomplete.startswith("/") else entry.name, ""


@_quiet
def runs(ctx: typer.Context, incomplete: str) -> Found:
    """Runs of the journal by their numbers, the newest first."""
    from jutrek.desk.records import records_of
    from jutrek.library import open_library
    from jutrek.transfer.journal import number_of

    for record in records_of(open_library(_library(ctx)), verify=False):
        words = f"{record.title} {record.about}, {counted(record.files, 'file')}"
        yield str(number_of(record.run) or record.run), words


@_quiet
def devices(ctx: typer.Context, incomplete: str) -> Found:
    """Letters of devices."""
    from jutrek.library import known_devices, open_library

    for one in known_devices(open_library(_library(ctx))).values():
        yield one.letter, one.name


@_quiet
def drives(ctx: typer.Context, incomplete: str) -> Found:
    """Names of archive drives."""
    from jutrek.library import known_drives, open_library

    for one in known_drives(open_library(_library(ctx))):
        yield one.name, one.root


@_quiet
def places(ctx: typer.Context, incomplete: str) -> Found:
    """Names of places."""
    from jutrek.library import known_places, open_library

    for one in known_places(open_library(_library(ctx))):
        yield one.name, one.root


@_quiet
def counters(ctx: typer.Context, incomplete: str) -> Found:
    """What counters count within."""
    from jutrek.library import numbers_given, open_library

    for key, number in numbers_given(open_library(_library(ctx))).items():
        yield key, str(number)


@_quiet
def rule_keys(ctx: typer.Context, incomplete: str) -> Found:
    """Rules by table and key; behind the sign of equality, pieces."""
    from jutrek.filing import HouseRules
    from jutrek.filing.rulepage import page_of

    if "=" in incomplete:
        yield from _pieces(incomplete)
        return
    for table, keys in page_of(HouseRules()).items():
        for key in keys if isinstance(keys, dict) else ():
            yield f"{table}.{key}=", ""
    yield from ((f"scheme.new.{key}=", "") for key in ("kinds", "device", "words", "layout", "name"))
    said = ("kinds", "device", "operator", "job", "words", "creator", "rights", "usage", "credit", "source", "contact")
    yield from ((f"caption.new.{key}=", "") for key in said)


@_quiet
def pieces(ctx: typer.Context, incomplete: str) -> Found:
    """The piece that is begun at the end of a pattern."""
    yield from _pieces(incomplete)


def _pieces(incomplete: str) -> Found:
    from jutrek.filing.pieces import PIECES

    before, brace, begun = incomplete.rpartition("{")
    if brace and "}" not in begun:
        yield from ((f"{before}{{{name}}}", kind.about) for name, kind in PIECES.items() if name.startswith(begun))


@_quiet
def views(ctx: typer.Context, incomplete: str) -> Found:
    """Names of kept views."""
    from jutrek.library import open_library
    from jutrek.views.kept import kept_views

    for one in kept_views(open_library(_library(ctx)))[0]:
        yield one.name, one.sentence


@_quiet
def shelves(ctx: typer.Context, incomplete: str) -> Found:
    """Names of shelves."""
    from jutrek.library import open_library
    from jutrek.views.shelves import shelves_of

    for one in shelves_of(open_library(_library(ctx)))[0]:
        yield one.name, counted(len(one.things), "capture")


@_quiet
def sentences(ctx: typer.Context, incomplete: str) -> Found:
    """The next word of a sentence."""
    from jutrek.library import open_library
    from jutrek.views.completing import completions
    from jutrek.views.shelves import shelves_of
    from jutrek.views.snapshot import kept
    from jutrek.views.vocabulary import names_of

    library = open_library(_library(ctx))
    known = kept(library.ledger_path)
    before = " ".join([*(ctx.params.get("sentence") or ()), ""])
    names = names_of(known.columns, [one.name for one in shelves_of(library)[0]]) if known else {}
    for one in completions(before + incomplete, names):
        if one.start == len(before):
            yield one.text, ""


@_quiet
def keywords(ctx: typer.Context, incomplete: str) -> Found:
    """Keywords of the list, and those that captures have."""
    from jutrek.library import open_library
    from jutrek.views.conditions import Sort
    from jutrek.views.snapshot import kept
    from jutrek.views.vocabulary import names_of
    from jutrek.wording.listed import words_of

    library = open_library(_library(ctx))
    listed = words_of(library).entries
    yield from ((one.word, "") for one in listed)
    known = kept(library.ledger_path)
    yield from ((word, "") for word in (names_of(known.columns)[Sort.KEYWORD] if known else ()))


@_quiet
def folders(ctx: typer.Context, incomplete: str) -> Found:
    """Folders of the library, those right within what was typed."""
    root, above = _library(ctx), os.path.dirname(incomplete)
    with os.scandir(os.path.join(root, above)) as entries:
        for entry in sorted(entries, key=lambda one: one.name):
            if entry.is_dir(follow_symlinks=False) and not entry.name.startswith("."):
                yield os.path.join(above, entry.name), ""
