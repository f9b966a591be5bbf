"""How much memory a card takes whose pictures want all of it.

The window shows a card of pictures that are small on disk and large once they are decoded, and each of them in Close
look, two threads at a time. The baseline is the same window on a card of as many usual pictures. Both are whole
processes; told is the most memory that each had at once.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

from PIL import Image
from tests import making
from tests.desk.test_pixels import png

_COUNT = 9
_WINDOW = """
import sys
from pathlib import Path
from jutrek.library import new_library
from jutrek.ui.app.start import application, wait
app = application()
from jutrek.ui.app.window import MainWindow
window = MainWindow()
window.resize(1280, 800)
window.show()
Path(sys.argv[2]).mkdir()
new_library(sys.argv[2])
window.begin(sys.argv[2], [sys.argv[1]])
page = window.page("intake").view
wait(app, lambda: page.board.plan is not None, patience=60_000)
captures = [one for day in page.board.days for one in day.captures]
for one in captures:
    window.pictures.of(one)
wait(app, window.pictures.idle, patience=300_000)
from jutrek.desk.pictures import large_picture
from jutrek.errors import TooLargeToShow
shown = 0
for one in captures:
    try:
        shown += large_picture(one, (1200, 800)) is not None
    except TooLargeToShow:
        pass
lines = Path("/proc/self/status").read_text().splitlines()
print(next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) // 1024, shown, len(captures))
sys.stdout.flush()
import os; os._exit(0)
"""


def fill_hostile(card: Path) -> None:
    """Nine pictures of 252 MB and more, once they are decoded."""
    flat = Image.new("RGB", (9000, 7000))
    for number in range(_COUNT - 4):
        # 252 MB once they are decoded: one at a time has room.
        making.put(card / f"large{number}.png", png(9000, 7000))
    making.put(card / "larger.png", png(16_000, 12_000))
    making.put(card / "grey.png", png(16_000, 12_000, 16, 0))
    flat.save(card / "progressive.jpg", progressive=True)
    flat.save(card / "packed.tif", compression="tiff_lzw")


def _usual(card: Path) -> None:
    for number in range(_COUNT):
        making.put(card / f"{number}.jpg", making.jpeg(seed=number))


def _peak(folder: Path, name: str) -> tuple[int, int, int]:
    words = [sys.executable, "-c", _WINDOW, str(folder / name), str(folder / f"{name} library")]
    done = subprocess.run(words, check=True, stdout=subprocess.PIPE, text=True)
    peak, shown, count = map(int, done.stdout.split()[-3:])
    return peak, shown, count


def run() -> None:
    """Print the most memory of both, in MB."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for card, fill in (("usual", _usual), ("hostile", fill_hostile)):
            (folder / card).mkdir()
            fill(folder / card)
            peak, shown, count = _peak(folder, card)
            size = sum(path.stat().st_size for path in (folder / card).iterdir()) / 1e6
            print(f"{card}: {count} pictures of {size:.1f} MB on disk, {shown} shown, {peak:,} MB at most")
