"""The house's short forms: a few letters that stand for a name, so that it is always written the same way.

`LIBRARY/.jutrek/short-forms.toml`, one table for each. It may be edited by hand: an entry that is damaged is told, and
the others work.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from jutrek.disk import own
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.library.pagefiles import tables_text

if TYPE_CHECKING:
    from collections.abc import Mapping

    from jutrek.library.identity import Library

SHORT_FORMS = own("short-forms.toml")
_NOTE = "Short forms of this house: what is typed, and what it stands for in names of folders."
LONGEST = 100


def short_forms(library: Library) -> tuple[dict[str, str], list[str]]:
    """What short forms stand for, by themselves in small letters; and a sentence for every damaged entry."""
    from jutrek.library import pages

    entries, bad = pages.listed(pages.SHORT_FORM, library.tree, SHORT_FORMS, "short")
    found: dict[str, str] = {}
    for one in entries:
        try:
            short, whole = _checked(one["short"], one["whole"])
        except ValueError as error:
            bad.append(str(PageBroken(library.tree.at(SHORT_FORMS), f"{one['short']}: {error}")))
        else:
            found.setdefault(short, whole)
    return found, bad


def keep_short_form(library: Library, short: str, whole: str) -> str:
    """Write down a short form, in place of one of those letters; an empty name forgets it.

    Returns:
        What it stood for; empty where it stood for nothing.

    Raises:
        NotPossible: when it can't be one, or cannot be written.
        PageBroken: when the page is damaged: what it says would be lost.
    """
    known, bad = short_forms(library)
    if bad:
        raise PageBroken(library.tree.at(SHORT_FORMS), f"it has to be put right before it is written: {bad[0]}")
    try:
        key, text = _checked(short, whole or "x")
    except ValueError as error:
        raise NotPossible(library.root, str(error)) from error
    before = known.pop(key, "")
    _write(library, {**known, **({key: text} if whole else {})})
    return before


def _checked(short: str, whole: str) -> tuple[str, str]:
    """A short form as it is written down. Raises ValueError, which says what is wrong with it."""
    key, text = short.strip().casefold(), " ".join(whole.split())
    if not key or len(key) > LONGEST or not key.isalnum():
        raise ValueError("a short form is made of letters and figures")
    if not text or len(text) > LONGEST or not text.isprintable() or "/" in text:
        raise ValueError(f"it stands for 1 to {LONGEST} signs that can be in the name of a folder")
    return key, text


def _write(library: Library, forms: Mapping[str, str]) -> None:
    tables = [{"short": short, "whole": whole} for short, whole in sorted(forms.items())]
    try:
        library.tree.write_own(SHORT_FORMS, tables_text(_NOTE, "short", tables))
    except OSError as error:
        raise NotPossible(library.root, f"its short forms can't be written: {reason(error)}") from error
