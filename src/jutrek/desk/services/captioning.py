"""What is said of a library's captures."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jutrek.desk.captioning import Around, Shared, around, caption_captures, place_captures, shared
from jutrek.desk.keyword_acts import KeywordAct, KeywordList
from jutrek.desk.services.following import Following
from jutrek.desk.sidecars import Described
from jutrek.transfer import Listener

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from jutrek.desk.services.opened import Opened
    from jutrek.desk.services.places import PlacesService
    from jutrek.views.columns import Columns
    from jutrek.wording.caption import Caption


class CaptioningService:
    """Writes what is said beside captures, and changes keywords everywhere."""

    def __init__(self, opened: Opened, places: PlacesService) -> None:
        self._at, self._following = opened, Following(opened, places)

    def look(self, columns: Columns, rows: Sequence[int]) -> tuple[Shared, Around]:
        """What captures say, and what helps to caption them.

        Raises:
            LibraryTrouble: when the list of keywords can't be read.
        """
        at = self._at
        tree = KeywordList(at.library).tree
        return shared(columns, rows, at.library, at.stop), around(columns, rows, tree)

    def go(self, columns: Columns, rows: Sequence[int], wanted: Caption) -> Described:
        """Say something of captures; keywords that the list has not come into it. Hash lists and backups follow.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        at = self._at
        words = KeywordList(at.library).growing(wanted.keywords.add)
        return self._done(
            caption_captures(
                columns, rows, wanted, at.library, at.ledger, stop=at.stop, listener=self._listener(), words=words
            )
        )

    def place(self, columns: Columns, rows: Sequence[int], *, as_words: bool) -> Described:
        """Say where captures were by their positions, as keywords, too. Raises as `go`."""
        at = self._at
        return self._done(
            place_captures(
                columns, rows, at.library, at.ledger, as_words=as_words, stop=at.stop, listener=self._listener()
            )
        )

    def look_everywhere(self, columns: Columns, act_of: Callable[[KeywordList], KeywordAct]) -> KeywordAct:
        """What something done with a keyword everywhere would do.

        Raises:
            LibraryTrouble: when it can't be done.
        """
        return act_of(KeywordList(self._at.library, columns))

    def go_everywhere(self, columns: Columns, act: KeywordAct) -> Described:
        """Do it. Raises likewise."""
        at = self._at
        return self._done(
            act.carry_out(columns, at.library, at.ledger, stop=at.stop, listener=self._listener())
        )  # fmt: skip

    def _listener(self) -> Listener:
        at = self._at
        return Listener(progress=lambda run: at.teller.working("Writing", run.files, run.all_files, changes=True))

    def _done(self, done: Described) -> Described:
        self._following.add(done.written)
        return done

    def follow(self) -> str:
        """Let hash lists and connected backups follow; as `Following.go`."""
        return self._following.go()
