"""`jutrek mark` and `jutrek marks`: the house's marks, on captures, in sidecars that other programs read."""

from __future__ import annotations

import io
import json
from datetime import timedelta
from pathlib import Path

import pytest

from jutrek.formats import read
from jutrek.library import Library, add_place
from jutrek.library.marks import COLOURS, HouseMark, free_colour, marks_of
from tests import making
from tests.cli.calling import jutrek
from tests.embedding.test_room import packet
from tests.making import WHEN, names_below, put
from tests.turning.test_patching import picture

LABELLED = (
    b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
    b'<rdf:Description xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmp:Label="%s" xmp:Rating="%d"/></rdf:RDF></x:xmpmeta>'
)


@pytest.fixture
def home(library: Library) -> Library:
    """A still; one that says itself how it is marked; a raw with its picture; a still and a clip of one name."""
    root = Path(library.root) / "yard"
    put(root / "P0.jpg", making.jpeg(seed=1))
    made = io.BytesIO()
    making.picture(2).save(made, "JPEG", xmp=LABELLED % (b"For the  report", 2))
    put(root / "P1.jpg", made.getvalue())
    for name, data in (("P2.dng", making.dng(seed=3)), ("P2.jpg", making.jpeg(seed=3))):
        put(root / name, data)
    put(root / "P2.jpg.xmp", LABELLED % (b"Odd", 5))
    put(root / "P2.dng.xmp", LABELLED % (b"", 3))
    put(root / "P3.jpg", making.jpeg(seed=4))
    put(root / "P3.mp4", making.mp4(WHEN + timedelta(hours=9)))
    jutrek("marks", "keep", "r", "for the report", "-l", library.root)
    jutrek("marks", "keep", "P", "--colour", "sky", "-l", library.root)
    return library


def said(home: Library, sentence: str) -> set[str]:
    return set(jutrek("list", sentence, "-l", home.root).stdout.split())


def test_marks_are_written_down_and_told(home: Library) -> None:
    jutrek("marks", "keep", "P", "not for the public", "-l", home.root)
    assert marks_of(home) == ([HouseMark("R", "for the report"), HouseMark("P", "not for the public", "sky")], [])
    assert jutrek("marks", "list", "-l", home.root).stdout.splitlines()[0] == "R\tfor the report\tiris"
    for wrong in (["RR"], ["?"], ["Q", "For  the report"], ["Q", "p"], ["Q", "x", "--colour", "red"], ["Q", "x" * 101]):
        assert "jutrek: " in jutrek("marks", "keep", *wrong, "-l", home.root, code=2).stderr, wrong
    jutrek("marks", "forget", "p", "-l", home.root)
    assert "has no mark" in jutrek("marks", "forget", "p", "-l", home.root, code=2).stderr
    assert [one.letter for one in marks_of(home)[0]] == ["R"]
    assert free_colour([HouseMark("R"), HouseMark("Q", "", COLOURS[1])]) == COLOURS[2]


def test_a_damaged_entry_costs_itself_and_is_never_written_over(home: Library) -> None:
    page = Path(home.root) / ".jutrek/marks.toml"
    page.write_text(page.read_text() + '[[mark]]\nletter = "Q"\nmeaning = "for the report"\ncolour = "iris"\n')
    listed = jutrek("marks", "list", "-l", home.root)
    assert (len(listed.stdout.splitlines()), "is called so already" in listed.stderr) == (2, True)
    before = page.read_bytes()
    assert "put right" in jutrek("marks", "keep", "S", "-l", home.root, code=3).stderr
    assert page.read_bytes() == before


def test_a_mark_is_said_by_its_letter_or_its_meaning(home: Library) -> None:
    """Whoever wrote it; a sidecar tells before the file itself; labels that the house does not know stay."""
    assert said(home, "marked R") == said(home, 'marked "for the report"') == {"yard/P1.jpg"}
    assert said(home, "marked odd") == set()
    # The first sidecar says that there is no mark, and rates before the other one.
    assert said(home, "unmarked") == {"yard/P0.jpg", "yard/P2.dng", "yard/P3.jpg", "yard/P3.mp4"}
    assert said(home, "rated 3") == {"yard/P2.dng"}
    jutrek("mark", "yard/P2.jpg", "yard/P0.jpg", "--as", "FOR THE REPORT", "-l", home.root)
    assert said(home, "marked R") == {"yard/P0.jpg", "yard/P1.jpg", "yard/P2.dng"}
    assert b'Label="R"' in (Path(home.root) / "yard/P2.dng.xmp").read_bytes()
    assert b'Label="Odd"' in (Path(home.root) / "yard/P2.jpg.xmp").read_bytes()
    assert said(home, "rated 3") == {"yard/P2.dng"}


def test_off_also_where_the_file_itself_says_so_and_back(home: Library) -> None:
    before = names_below(home.root)
    told = json.loads(jutrek("mark", "--that", "marked R", "--off", "--json", "-l", home.root).stdout)
    assert (told["captures"], told["same"], told["why"]) == (1, 0, "")
    assert said(home, "marked R") == set()
    assert jutrek("journal", told["run"], "-l", home.root).stdout.split() == ["written", "yard/P1.xmp"]
    jutrek("take-back", told["run"], "-l", home.root)
    assert "yard/P1.xmp" in jutrek("journal", told["run"], "-l", home.root).stdout
    assert said(home, "marked R") == {"yard/P1.jpg"}
    assert {one for one in names_below(home.root) if not one.startswith(".jutrek")} == {
        one for one in before if not one.startswith(".jutrek")
    }


def test_of_two_captures_of_one_name_each_has_its_own(home: Library) -> None:
    jutrek("mark", "yard/P3.mp4", "--as", "P", "-l", home.root)
    assert said(home, "marked P") == {"yard/P3.mp4"}
    jutrek("mark", "yard/P3.jpg", "--as", "R", "-l", home.root)
    assert (said(home, "marked P"), "yard/P3.jpg" in said(home, "marked R")) == ({"yard/P3.mp4"}, True)
    assert {"yard/P3.mp4.xmp", "yard/P3.jpg.xmp"} <= names_below(home.root)


def test_a_new_sidecar_says_what_the_file_says_too(home: Library) -> None:
    """Other programs would else take the mark for all that is said; one that is there already is left to say less."""
    put(Path(home.root) / "yard/P7.jpg", picture("JPEG", xmp=packet("depot")))
    jutrek("mark", "yard/P7.jpg", "--as", "R", "-l", home.root)
    told = read(str(Path(home.root) / "yard/P7.xmp")).wording
    assert told is not None
    assert (told.label, told.keywords, told.rights) == ("R", ("depot",), "© Velmora line")
    jutrek("mark", "yard/P7.jpg", "--off", "-l", home.root)
    jutrek("caption", "yard/P7.jpg", "--remove", "depot", "-l", home.root)
    jutrek("mark", "yard/P7.jpg", "--as", "R", "-l", home.root)
    again = read(str(Path(home.root) / "yard/P7.xmp")).wording
    assert again is not None
    assert (again.keywords, again.without) == ((), ("depot",))


def test_what_is_no_mark_or_no_capture_is_refused(home: Library) -> None:
    refused = jutrek("mark", "yard/P0.jpg", "--as", "Q", "-l", home.root, code=2)
    assert "there are: R for the report, P" in refused.stderr
    jutrek("mark", "yard", "yard/P0.jpg", "--as", "R", "-l", home.root, code=2)
    jutrek("mark", "yard/P0.jpg", "-l", home.root, code=2)
    jutrek("mark", "yard/P0.jpg", "--as", "R", "--off", "-l", home.root, code=2)
    assert "had it already" in jutrek("mark", "yard/P1.jpg", "--as", "R", "-l", home.root).stderr
    assert not {one for one in names_below(home.root) if one.endswith("P0.xmp")}


def test_copies_in_backups_follow(home: Library, tmp_path: Path) -> None:
    """As far as a backup was caught up before; one that is away has them when it is caught up."""
    (tmp_path / "Tarn").mkdir()
    tarn = add_place(home, str(tmp_path / "Tarn"))
    jutrek("check", "-l", home.root)
    jutrek("catch-up", "-l", home.root)
    put(Path(home.root) / "yard/late.jpg", making.jpeg(seed=9))
    jutrek("mark", "yard/P0.jpg", "yard/P2.dng", "--as", "R", "-l", home.root)
    # Nothing else is brought there by the way.
    assert not (Path(tarn.root) / "yard/late.jpg").exists()
    (Path(home.root) / "yard/late.jpg").unlink()
    ours = {one for one in names_below(home.root) if not one.startswith(".jutrek") and not one.startswith("ascmhl")}
    for name in ours:
        assert (Path(tarn.root) / name).read_bytes() == (Path(home.root) / name).read_bytes(), name
    assert said(home, "in no backup") == set()


def test_folders_are_marked_and_keep_it_wherever_they_go(home: Library) -> None:
    """In a file of their own: through a move outside, and a merge; it is no capture, and taken back."""

    def marked() -> list[str]:
        return jutrek("marks", "folders", "-l", home.root).stdout.splitlines()

    everything = said(home, "everything")
    put(Path(home.root) / "depot/P9.jpg", making.jpeg(seed=9))
    jutrek("mark", "yard", "depot", "--as", "R", "-l", home.root)
    assert marked() == ["R\tdepot", "R\tyard"]
    assert said(home, "everything") == everything | {"depot/P9.jpg"}
    (Path(home.root) / "yard").rename(Path(home.root) / "2026")
    assert marked() == ["R\t2026", "R\tdepot"]
    jutrek("mark", "depot", "--as", "P", "-l", home.root)
    jutrek("tidy", "merge", "depot", "2026", "-l", home.root)
    assert marked() == ["R\t2026"]
    assert not (Path(home.root) / "depot").exists()
    told = json.loads(jutrek("mark", "2026", "--off", "--json", "-l", home.root).stdout)
    assert (marked(), told["captures"]) == ([], 1)
    jutrek("take-back", told["run"], "-l", home.root)
    assert marked() == ["R\t2026"]
    assert jutrek("mark", "2026", "--as", "R", "-l", home.root).stderr.startswith("0 folders marked R. 1 folder had it")
