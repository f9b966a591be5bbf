"""Declaring unwanted what keeps a card from being safe to clear: never without a person's word, and told by content."""

from __future__ import annotations

from jutrek.library import Library
from jutrek.library.unwanted import Unwanted, declare
from jutrek.transfer.certificate import Certificate
from jutrek.transfer.journal import now, who


def declare_unwanted(library: Library, certificate: Certificate, only: frozenset[str] | None = None) -> list[Unwanted]:
    """Declare unwanted what a certificate names as not brought.

    Args:
        only: paths relative to the source; None for everything that is no capture. Captures are named one by one.

    Returns:
        What was declared.

    Raises:
        LibraryMissing: when it cannot be written down.
        PageBroken: when the page of declarations cannot be read.
    """
    said: list[Unwanted] = []
    files = certificate.others if only is None else (*certificate.others, *certificate.missing)
    for file in files:
        path = certificate.below(file.path)
        if only is None or path in only:
            said.append(Unwanted(path, certificate.name, who(), now(), file.full, file.size if file.full else 0))
    for thing in certificate.unaccounted:
        path = certificate.below(thing.path)
        if only is None or path in only:
            said.append(Unwanted(path, certificate.name, who(), now()))
    if said:
        declare(library, said)
    return said
