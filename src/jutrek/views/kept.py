"""Kept views: sentences with names, in groups, kept in the library so that every station sees them.

`LIBRARY/.jutrek/views.toml`, one table for each. It may be edited by hand: an entry that is damaged is told, and the
others work; it is left as it is whatever is kept besides.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

from jutrek.disk import own
from jutrek.errors import NotPossible, PageBroken, reason
from jutrek.library import Library
from jutrek.views.saying import sentence
from jutrek.views.sentence import parse
from jutrek.views.spans import FIRST_YEAR, LAST_YEAR, week_span, weeks_in
from jutrek.views.walking import SentenceError

if TYPE_CHECKING:
    from tomlkit import TOMLDocument

_PAGE = own("views.toml")
_NOTE = "Kept views of this library: a name, what is shown as a sentence, and the group that it stands in."
LONGEST_NAME = 200


class KeptView(NamedTuple):
    """A sentence that was kept.

    Attributes:
        name: what it is called; no two are called the same but for capital letters.
        sentence: what it shows.
        group: what it stands in; empty where it stands alone.
        trouble: why its sentence is none; empty where it is one.
    """

    name: str
    sentence: str
    group: str = ""
    trouble: str = ""


def kept_views(library: Library) -> tuple[list[KeptView], list[str]]:
    """The kept views in their order, and a sentence for every entry of the page that is damaged."""
    from jutrek.library import pages

    entries, bad = pages.listed(pages.KEPT_VIEW, library.tree, _PAGE, "view")
    found = []
    for entry in entries:
        try:
            parse(entry["sentence"])
            trouble = ""
        except SentenceError as error:
            trouble = str(error)
        found.append(KeptView(entry["name"], entry["sentence"], entry.get("group", ""), trouble))
    return found, bad


def view_called(library: Library, name: str) -> KeptView:
    """The kept view of a name, whatever its capital letters.

    Raises:
        NotPossible: when there is none.
    """
    found = kept_views(library)[0]
    one = next((one for one in found if one.name.casefold() == name.strip().casefold()), None)
    if one is None:
        raise NotPossible(library.root, f"there is no kept view “{name}”")
    return one


def keep_view(library: Library, name: str, text: str, group: str = "") -> KeptView | None:
    """Keep a view under a name, in place of one of that name.

    Args:
        library: the library.
        name: of the view.
        text: its sentence.
        group: what it stands in; one that is there stays in its own where it is empty.

    Returns:
        What was kept under that name before.

    Raises:
        SentenceError: when it is no sentence.
        NotPossible: when the name is none, or it cannot be written.
        PageBroken: when the page is no TOML: what it says would be lost.
    """
    said = sentence(parse(text))
    name = " ".join(name.split())
    if not name or len(name) > LONGEST_NAME or not name.isprintable():
        raise NotPossible(library.root, f"a view's name has 1 to {LONGEST_NAME} signs that can be printed")
    page = _page(library)
    before = _table(page, name)
    if before is not None:
        was = KeptView(str(before["name"]), str(before.get("sentence", "")), str(before.get("group", "")))
        before["name"], before["sentence"] = name, said
        if group:
            before["group"] = group
    else:
        was = None
        _append(page, KeptView(name, said, group))
    _write(library, page)
    return was


def remove_view(library: Library, name: str) -> KeptView:
    """Keep a view no longer. Same errors as `keep_view`.

    Returns:
        What was kept.
    """
    page = _page(library)
    tables = page.get("view", [])
    table = _table(page, " ".join(name.split()))
    if table is None:
        raise NotPossible(library.root, f"there is no kept view “{name}”")
    tables.remove(table)
    _write(library, page)
    return KeptView(str(table["name"]), str(table.get("sentence", "")), str(table.get("group", "")))


def keep_weeks(library: Library, year: int) -> tuple[int, int]:
    """Keep a view for each week of a year (ISO 8601), in one act. Same errors as `keep_view`.

    Returns:
        How many were made, and how many were there already.
    """
    if not FIRST_YEAR <= year <= LAST_YEAR:
        raise NotPossible(library.root, f"a year lies between {FIRST_YEAR} and {LAST_YEAR}")
    page, made = _page(library), 0
    for week in range(1, weeks_in(year) + 1):
        name = f"Week {week:02} of {year}"
        if _table(page, name) is None:
            _append(page, KeptView(name, sentence(week_span(year, week)), f"Weeks of {year}"))
            made += 1
    if made:
        _write(library, page)
    return made, weeks_in(year) - made


def _page(library: Library) -> TOMLDocument:
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    try:
        page = tomlkit.parse(library.tree.read_own(_PAGE).decode("utf-8"))
    except FileNotFoundError:
        page = tomlkit.document()
        page.add(tomlkit.comment(_NOTE))
    except (OSError, ValueError, TOMLKitError, RecursionError) as error:
        raise PageBroken(library.tree.at(_PAGE), f"it has to be put right before it is written: {error}") from error
    if not isinstance(page.get("view", []), list):
        raise PageBroken(library.tree.at(_PAGE), "it has to be put right before it is written: view: a list is wanted")
    return page


def _table(page: TOMLDocument, name: str) -> Any | None:
    """The entry of a name, where there is one; damaged ones have none."""
    for table in page.get("view", []):
        if hasattr(table, "get") and str(table.get("name", "")).casefold() == name.casefold():
            return table
    return None


def _append(page: TOMLDocument, view: KeptView) -> None:
    import tomlkit

    if "view" not in page:
        page.add("view", tomlkit.aot())
    table = tomlkit.table()
    table.update({"name": view.name, "sentence": view.sentence} | ({"group": view.group} if view.group else {}))
    page["view"].append(table)


def _write(library: Library, page: TOMLDocument) -> None:
    import tomlkit

    try:
        library.tree.write_own(_PAGE, tomlkit.dumps(page).encode())
    except OSError as error:
        raise NotPossible(library.root, f"its kept views can't be written: {reason(error)}") from error
