"""Walking along the words of a sentence, remembering what might have come where it ends."""

from __future__ import annotations

from jutrek.views.conditions import Sort
from jutrek.views.tokens import Token, tokens


class SentenceError(ValueError):
    """A text that is no sentence.

    Attributes:
        at: the character that is pointed at, from 0.
        trouble: a sentence.
    """

    def __init__(self, at: int, trouble: str) -> None:
        super().__init__(trouble)
        self.at, self.trouble = at, trouble


class Walk:
    """The words of a text, and where one is."""

    def __init__(self, text: str) -> None:
        self.text = text
        self._tokens = tokens(text)
        self._at = 0
        self.wanted_at_end: list[str | Sort] = []
        """What might have come behind the last word."""
        self.begun: tuple[str, Sort] | None = None
        """A name that reaches to the end, so that it may go on."""
        self._name_from = 0

    @property
    def token(self) -> Token | None:
        """The next word; None at the end."""
        return self._tokens[self._at] if self._at < len(self._tokens) else None

    @property
    def over(self) -> bool:
        """Whether there is no further one."""
        return self._at >= len(self._tokens)

    def mark(self) -> int:
        """Where one is, to come back to."""
        return self._at

    def back_to(self, mark: int) -> None:
        """Go back."""
        self._at = mark

    def next(self) -> Token:
        """Take the next word, which is there."""
        token = self._tokens[self._at]
        self._at += 1
        return token

    def sees(self, *words: str) -> bool:
        """Whether the next word is one of these."""
        token = self.token
        return token is not None and not token.quoted and token.text in words

    def at_sign(self, sign: str) -> bool:
        """Whether the next word is a sign."""
        return self.sees(sign)

    def take(self, *words: str) -> str | None:
        """Take the next word where it is one of these."""
        token = self.token
        if token is None:
            self.want(*(word for word in words if word.isalpha()))
        elif not token.quoted and token.text in words:
            self._at += 1
            return token.text
        return None

    def take_all(self, *words: str) -> bool:
        """Take words where they stand there in this order."""
        mark = self._at
        for word in words:
            if self.take(word) is None:
                self._at = mark
                return False
        return True

    def must(self, *words: str) -> None:
        """Take the next word, which has to be one of these.

        Raises:
            SentenceError: where it is none of them.
        """
        if self.take(*words) is None:
            raise self.trouble(f"The word “{words[0]}” has to follow.")

    def want(self, *words: str | Sort) -> None:
        """Remember what might come here, where this is the end."""
        if self.over:
            self.wanted_at_end += words

    def begin(self, name: str, sort: Sort, *, whole: bool) -> None:
        """Remember a name that reaches to the end; one that is whole does not go on."""
        self.begun = None if whole else (name, sort)

    def trouble(self, words: str = "", at: int | None = None) -> SentenceError:
        """What is wrong with the next word, or with a place."""
        token = self.token
        where = at if at is not None else token.start if token is not None else len(self.text.rstrip())
        if not words:
            words = "Something has to follow." if token is None else "This word is not understood here."
        return SentenceError(where, words)
