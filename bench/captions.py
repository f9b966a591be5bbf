"""How fast captions are: keywords on many captures, turning, completing; and packets of anybody that lose nothing."""

from __future__ import annotations

import os
import random
import tempfile
import time

_CAPTURES, _TURNED, _WORDS, _PACKETS = 10_000, 1_000, 20_000, 10_000


def run() -> None:
    """Print seconds and ratios, each beside what is wanted."""
    with tempfile.TemporaryDirectory(dir=os.environ.get("JUTREK_BENCH")) as folder:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_CACHE_HOME"] = folder
        _keywords(os.path.join(folder, "one"), os.path.join(folder, "bare"))
        _turning(os.path.join(folder, "other"))
        _in_files(os.path.join(folder, "third"), os.path.join(folder, "copies"))
    _completing()
    _merging()


def _library(folder: str, count: int):
    import io

    from PIL import Image
    from tests.making import never

    from jutrek.cli.planning import house_of
    from jutrek.library import new_library
    from jutrek.library.ledger import Ledger
    from jutrek.views.looking import current

    library = new_library(_made(folder))
    for number in range(count):
        exif, data = Image.Exif(), io.BytesIO()
        exif[0x0112], exif[0x010F] = 1, f"Arlen {number}"
        Image.new("RGB", (96, 64), (number % 256, number // 256, 9)).save(data, "JPEG", exif=exif)
        above = _made(os.path.join(folder, f"2026/{number // 500:03}"))
        with open(os.path.join(above, f"{number:05}.jpg"), "wb") as file:
            file.write(data.getvalue())
    ledger = Ledger(library.ledger_path)
    columns = current(library, ledger, lambda: house_of(folder), stop=never(), report=lambda *_: None)
    return library, ledger, columns


def _made(folder: str) -> str:
    os.makedirs(folder, exist_ok=True)
    return folder


def _keywords(folder: str, bare: str) -> None:
    from tests.making import never

    from jutrek.desk.captioning import caption_captures
    from jutrek.wording.caption import Caption
    from jutrek.wording.keywords import Change

    library, ledger, columns = _library(folder, _CAPTURES)
    wanted = Caption(Change(add=(("Velmora line", "engines", "No. 4"),)))
    began = time.perf_counter()
    done = caption_captures(columns, range(columns.count), wanted, library, ledger, stop=never())
    took = time.perf_counter() - began
    assert done.captures == _CAPTURES
    size = os.path.getsize(os.path.join(folder, done.written[0]))
    began = time.perf_counter()
    for number in range(_CAPTURES):
        above = _made(os.path.join(bare, f"{number // 500:03}"))
        fd = os.open(os.path.join(above, f"{number:05}.xmp"), os.O_CREAT | os.O_WRONLY)
        os.write(fd, b"x" * size)
        os.fsync(fd)
        os.close(fd)
    usual = time.perf_counter() - began
    times = f"{took:.1f} s, {usual:.1f} s: {took / usual:.1f} x, wanted 3"
    print(f"{'10,000 captures given a keyword; bare writing':60} {times}")
    ledger.close()


def _turning(folder: str) -> None:
    from tests.making import never

    from jutrek.desk.turning import turn_captures
    from jutrek.turning.ways import Way

    library, ledger, columns = _library(folder, _TURNED)
    for way in (Way.RIGHT, Way.LEFT):
        began = time.perf_counter()
        done = turn_captures(columns, range(columns.count), way, library, ledger, stop=never())
        assert done.captures == _TURNED, done.why
        print(f"{f'1,000 JPEGs turned {way}':60} {time.perf_counter() - began:.2f} s, wanted 1")
    ledger.close()


def _in_files(folder: str, copies: str) -> None:
    from tests.making import never

    from jutrek.desk.captioning import caption_captures
    from jutrek.filing import HouseRules
    from jutrek.filing.rulebook import keep_rules
    from jutrek.wording.caption import Caption
    from jutrek.wording.keywords import Change

    library, ledger, columns = _library(folder, _TURNED)
    keep_rules(library, HouseRules(inside=True))
    began = time.perf_counter()
    wanted = Caption(Change(add=(("Velmora line", "engines", "No. 4"),)))
    done = caption_captures(columns, range(columns.count), wanted, library, ledger, stop=never())
    took = time.perf_counter() - began
    assert done.captures == _TURNED and all(one.endswith("jpg") for one in done.written), done.why
    _made(copies)
    began = time.perf_counter()
    for number, path in enumerate(done.written):
        with open(os.path.join(folder, path), "rb") as old, open(os.path.join(copies, str(number)), "wb") as new:
            new.write(old.read())
            os.fsync(new.fileno())
        os.replace(os.path.join(copies, str(number)), os.path.join(copies, f"{number}.jpg"))
    usual = time.perf_counter() - began
    print(f"{'1,000 JPEGs say it themselves; copied and synced':60} {took:.2f} s, {usual:.2f} s: {took / usual:.1f} x")
    ledger.close()


def _completing() -> None:
    from jutrek.wording.completing import Completer
    from jutrek.wording.tree import WordTree

    chance = random.Random(4)
    words = ["".join(chance.choices("aeioulmnrst", k=chance.randint(3, 12))) for _ in range(_WORDS)]
    tree = WordTree("".join(f"{'  ' * (at % 4)}{word} {at}\n" for at, word in enumerate(words)))
    completer = Completer(tree, {f"{words[at]} {at}": at for at in range(0, _WORDS, 3)})
    times = []
    for typed in ("a", "st", "mar", "line", "zz", words[7][:4]):
        began = time.perf_counter()
        completer.find(typed)
        times.append(time.perf_counter() - began)
    print(f"{'completing among 20,000 keywords, at most':60} {max(times) * 1000:.1f} ms, wanted 16")


def _merging() -> None:
    from tests.wording.test_packet import made_up, strange

    from jutrek.wording.caption import Caption, with_caption
    from jutrek.wording.keywords import Change
    from jutrek.wording.properties import Field

    lost = 0
    for seed in range(_PACKETS):
        old = made_up(random.Random(seed))
        new = with_caption(old, Caption(Change(add=(("depot",),)), {Field.TITLE: "Boiler", Field.CREDIT: "x"}))
        lost += strange(new) != strange(old)
    print(f"{'10,000 packets of anybody merged, those that lost something':60} {lost}")
