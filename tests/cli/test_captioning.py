"""`jutrek caption` and `jutrek keywords`: said beside captures, changed everywhere, taken back to the same bytes."""

from __future__ import annotations

import json
from datetime import timedelta
from pathlib import Path

import pytest

from jutrek.cli.planning import house_of
from jutrek.demo.copies import worded
from jutrek.desk.captioning import move_everywhere
from jutrek.library import Library
from jutrek.library.ledger import Ledger
from jutrek.transfer import recover
from jutrek.transfer.run_log import run_log_of, runs
from jutrek.transfer.word_lists import ListChange
from jutrek.views.columns import Columns
from jutrek.views.looking import current
from jutrek.wording.caption import Caption, with_caption
from jutrek.wording.keywords import Change
from jutrek.wording.packet import Packet
from jutrek.wording.properties import SUBJECT, Field
from tests import making
from tests.cli.calling import jutrek
from tests.killing import die, killed_in
from tests.making import WHEN, never, put

LIST = "line\n  engines = locomotives\n    No. 7\n  depot\nyard\n  depot\n"
THEIRS = with_caption(b"", Caption(Change(add=(("engines",), ("snow",)))))


@pytest.fixture
def home(library: Library) -> Library:
    """A still that says nothing; one with words in it; one with another program's sidecar; a raw with its picture."""
    root = Path(library.root) / "yard"
    put(root / "P0.jpg", making.jpeg(seed=1))
    put(root / "P1.jpg", worded(making.jpeg(seed=2), ["Engines", "rail"], "© Ilvar"))
    put(root / "P2.jpg", making.jpeg(seed=3))
    put(root / "P2.xmp", THEIRS)
    for name, data in (("P3.dng", making.dng(seed=4)), ("P3.jpg", making.jpeg(seed=4))):
        put(root / name, data)
    jutrek("keywords", "-l", library.root)
    (Path(library.own) / "keywords.txt").write_text(LIST)
    return library


def said(home: Library, *paths: str) -> dict[str, int]:
    found = jutrek("caption", *paths, "--json", "-l", home.root).stdout
    words: dict[str, int] = json.loads(found)["keywords"]
    return words


def state(home: Library) -> dict[str, bytes]:
    """All of the library but what Jutrek keeps for itself, and its list of keywords."""
    found = {str(one): one.read_bytes() for one in Path(home.root, "yard").rglob("*")}
    return {**found, "list": (Path(home.own) / "keywords.txt").read_bytes()}


def test_words_are_said_shown_and_taken_off(home: Library) -> None:
    jutrek(
        "caption", "yard", "--add", "no. 7", "--add", "thaw", "--remove", "rail", "--rights", "© Mira", "-l", home.root
    )
    assert said(home, "yard") == {"line": 4, "No. 7": 4, "thaw": 4, "engines": 4, "snow": 1}
    told = json.loads(jutrek("caption", "yard/P1.jpg", "--json", "-l", home.root).stdout)["fields"]
    assert told["rights"] == {"© Mira": 1}
    assert "thaw" in (Path(home.own) / "keywords.txt").read_text()
    # What stands in the file itself stays there, and does not count.
    assert b"<rdf:li>rail</rdf:li>" in (Path(home.root) / "yard/P1.jpg").read_bytes()
    assert "P1.jpg" not in jutrek("list", "with keyword rail", "-l", home.root).stdout
    jutrek("caption", "yard/P2.jpg", "--instead", "--add", "ice", "--rights", "", "-l", home.root)
    assert said(home, "yard/P2.jpg") == {"ice": 1}
    assert "4 captures said so already" in jutrek("caption", "yard", "--remove", "steam", "-l", home.root).stderr
    wrong = jutrek("caption", "yard", "--add", "depot", "-l", home.root, code=2)
    assert "“line > depot”, “yard > depot”" in wrong.stderr


def test_a_keyword_is_changed_everywhere_and_taken_back(home: Library) -> None:
    """In a file, beside one, and in the list: one act, and back to the same bytes; then done once more."""
    jutrek("caption", "yard/P0.jpg", "--add", "No. 7", "-l", home.root)
    before = state(home)
    for act, after in (
        (["rename", "engines", "motive power"], {"motive power": 3, "line": 3, "No. 7": 1, "rail": 1, "snow": 1}),
        (["move", "engines"], {"engines": 3, "No. 7": 1, "rail": 1, "snow": 1}),
        (["merge", "engines", "yard > depot"], {"yard": 3, "depot": 3, "No. 7": 1, "rail": 1, "snow": 1}),
        (["merge", "snow", "engines"], {"line": 2, "engines": 3, "No. 7": 1, "rail": 1}),
        (["remove", "engines"], {"line": 1, "No. 7": 1, "rail": 1, "snow": 1}),
    ):  # fmt: skip
        assert "on 3 captures" in jutrek("keywords", *act, "--look", "-l", home.root).stderr or act[1] == "snow"
        assert state(home) == before
        jutrek("keywords", *act, "-l", home.root)
        assert said(home, "yard") == after, act
        changed = state(home)
        assert changed["list"] != before["list"] or act[1] == "snow"
        jutrek("take-back", runs(home)[-1], "-l", home.root)
        assert state(home) == before, act
        jutrek("take-back", runs(home)[-1], "-l", home.root)
        assert state(home) == changed
        jutrek("take-back", runs(home)[-1], "-l", home.root)
    assert "no keyword is called" in jutrek("keywords", "remove", "ice", "-l", home.root, code=2).stderr


def test_a_list_that_somebody_changed_since_is_left_alone(home: Library) -> None:
    jutrek("keywords", "rename", "engines", "stock", "-l", home.root)
    page = Path(home.own) / "keywords.txt"
    page.write_text(page.read_text() + "theirs\n")
    told = jutrek("take-back", runs(home)[-1], "-l", home.root, code=1)
    assert "changed by somebody" in told.stderr
    assert "theirs" in page.read_text()
    assert said(home, "yard/P2.jpg") == {"engines": 1, "snow": 1}


def test_lists_come_and_go_as_plain_text(home: Library, tmp_path: Path) -> None:
    other = tmp_path / "other.txt"
    other.write_text("line\n\tengines\n\t\tNo. 9 = the nine\nsteam\n= nothing\n")
    assert "2 keywords more" in jutrek("keywords", "import", other, "-l", home.root, code=1).stderr
    listed = LIST.replace("    No. 7\n", "    No. 7\n    No. 9 = the nine\n") + "steam\n"
    assert (Path(home.own) / "keywords.txt").read_text() == listed
    assert "1 keyword more" in jutrek("keywords", "add", "line > turntable", "-l", home.root).stderr
    assert "as before" in jutrek("take-back", runs(home)[-1], "-l", home.root).stderr
    assert (Path(home.own) / "keywords.txt").read_text() == listed
    assert "0 keywords more" in jutrek("keywords", "add", "steam", "-l", home.root).stderr
    exported = jutrek("keywords", "export", "-l", home.root).stdout
    assert exported.replace("    ", "  ") == listed
    told = [json.loads(line) for line in jutrek("keywords", "--json", "-l", home.root).stdout.splitlines()]
    assert told[1] == {"keyword": ["line", "engines"], "synonyms": ["locomotives"], "captures": 2}
    assert {"keyword": ["rail"], "listed": False, "captures": 1} in told


def test_what_comes_home_is_told_what_the_house_says(library: Library, card: Path) -> None:
    """Of all, of some, with pieces filled in and the list's branches; what a file says itself stays."""
    put(card / "DCIM/A.JPG", making.jpeg(seed=1))
    put(card / "DCIM/B.JPG", worded(making.jpeg(WHEN + timedelta(hours=1), seed=2), ["rail"], "© Mira"))
    put(card / "SOUND.WAV", making.wav(WHEN + timedelta(hours=2)))
    (Path(library.own) / "keywords.txt").write_text(LIST)
    rules = (
        "sidecars.creator={make}", "sidecars.rights=© {year}< {operator}> Velmora line", "sidecars.credit={operator}",
        "sidecars.contact=post@velmora.example; +43 512 0000; www.velmora.example; Depot 1; Upper valley",
        'sidecars.words=["locomotives", "{month:name}", "{job}"]', 'caption.new.kinds=["sound"]',
        'caption.new.words=["sound"]', "caption.new.rights=© Lyd", "caption.new.usage=ask",
    )  # fmt: skip
    jutrek("rules", "set", *rules, "-l", library.root)
    assert (
        "“counter” numbers files"
        in jutrek("rules", "set", "sidecars.source={counter}", "-l", library.root, code=2).stderr
    )
    jutrek("bring", card, "--keywords", "thaw, Thaw", "-l", library.root)
    one, two, three = (Packet(path.read_bytes()) for path in sorted(Path(library.root).glob("2026/**/*.xmp")))
    assert one.items(SUBJECT) == ["line", "engines", "May", "thaw"]
    assert one.branches() == [("line", "engines")]
    assert two.items(SUBJECT) == ["line", "engines", "May", "thaw", "rail"]
    assert three.items(SUBJECT) == ["line", "engines", "May", "thaw", "sound"]
    texts = {field: (one.text(field.value), two.text(field.value), three.text(field.value)) for field in Field}
    assert texts[Field.RIGHTS] == ("© 2026 Velmora line", "© Mira", "© Lyd")
    assert texts[Field.CREATOR][:2] == ("Arlen", "Arlen")
    assert texts[Field.USAGE] == ("", "", "ask")
    assert [texts[one][0] for one in (Field.CREDIT, Field.EMAIL, Field.PHONE, Field.WEB, Field.ADDRESS)] == [
        "", "post@velmora.example", "+43 512 0000", "www.velmora.example", "Depot 1, Upper valley",
    ]  # fmt: skip
    assert not list(card.rglob("*.xmp"))


def test_a_kill_leaves_each_sidecar_old_or_new_and_the_list_old(
    home: Library, ledger: Ledger, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What was written is taken back; or the same is asked again, and does the rest."""
    before, columns = state(home), columns_of(home, ledger)

    def rename() -> None:
        monkeypatch.setattr("jutrek.transfer.sidecar_runs.change_list", die)
        words = ListChange(LIST.encode(), LIST.replace("engines", "stock").encode())
        old, new = ("line", "engines"), ("line", "stock")
        move_everywhere(columns, old, new, home, ledger, alone=True, stop=never(), words=words)

    killed_in(rename)
    recover(home, ledger)
    assert state(home)["list"] == before["list"] == LIST.encode()
    assert said(home, "yard/P2.jpg") == {"line": 1, "stock": 1, "snow": 1}
    assert run_log_of(home, runs(home)[-1]).end["left"] == 0
    jutrek("take-back", runs(home)[-1], "-l", home.root)
    assert state(home) == before


def columns_of(home: Library, ledger: Ledger) -> Columns:
    return current(home, ledger, lambda: house_of(home.root), stop=never(), report=lambda *_: None)
