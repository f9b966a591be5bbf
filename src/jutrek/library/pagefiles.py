"""A library's pages as they lie on the disk: bounded, no links followed, parsed and not yet checked.

Apart from the models that they are checked against (`pages.py`), which take a quarter of a second to import.
"""

from __future__ import annotations

import json
import tomllib
from collections.abc import Iterable, Mapping
from typing import Any

from jutrek.disk import Inside, Tree
from jutrek.errors import PageBroken, reason


def toml_page(tree: Tree, path: Inside) -> dict[str, Any]:
    """Read a page of TOML.

    Raises:
        FileNotFoundError: when it is not there.
        PageBroken: when it cannot be read, or is none.
    """
    text = page_bytes(tree, path)
    try:
        return tomllib.loads(text.decode("utf-8"))
    except (ValueError, RecursionError) as error:
        raise PageBroken(tree.at(path), _first_line(error)) from error


def tables_text(note: str, what: str, tables: Iterable[Mapping[str, Any]]) -> bytes:
    """A page of TOML that lists tables, as it is written.

    Args:
        note: what it is, for who edits it by hand.
        what: the tables' name.
        tables: what they hold.
    """
    import tomlkit

    page, listed = tomlkit.document(), tomlkit.aot()
    page.add(tomlkit.comment(note))
    for one in tables:
        table = tomlkit.table()
        table.update(one)
        listed.append(table)
    page.add(what, listed)
    return tomlkit.dumps(page).encode()


def json_page(tree: Tree, path: Inside) -> Any:
    """Read a page of JSON. Same errors as `toml_page`."""
    return json_of(page_bytes(tree, path), tree.at(path))


def json_of(text: bytes, path: str) -> Any:
    """What JSON text says; `path` names it in errors.

    Raises:
        PageBroken: when it is none, or nested too deep.
    """
    try:
        # Not pydantic's own parser: it refuses the escaped surrogates that stand for undecodable bytes of names.
        return json.loads(text)
    except (ValueError, RecursionError) as error:
        raise PageBroken(path, _first_line(error)) from error


def page_bytes(tree: Tree, path: Inside) -> bytes:
    """What a page holds, bounded. Raises FileNotFoundError when it is not there, PageBroken when it cannot be read."""
    try:
        return tree.read_own(path)
    except FileNotFoundError:
        raise
    except OSError as error:
        raise PageBroken(tree.at(path), reason(error)) from error


def _first_line(error: BaseException) -> str:
    return "it is nested too deep" if isinstance(error, RecursionError) else str(error).splitlines()[0]
