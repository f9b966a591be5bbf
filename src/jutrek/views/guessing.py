"""What is likely no photograph: screenshots and scanned papers, guessed from names, sizes and what is not said.

A guess is said as one, and nothing is done by it. A still that tells which device made it is none, unless that is a
scanner.
"""

from __future__ import annotations

import os
import re
import unicodedata
from functools import lru_cache

from jutrek.formats import Kind

PHOTOGRAPH, SCREENSHOT, PAPER = "photograph", "screenshot", "paper"
GUESSES = (PHOTOGRAPH, SCREENSHOT, PAPER)
_OPEN, _SHUT = r"(?<![^\W\d_])", r"(?![^\W\d_])"
"""No letter before, and none behind."""
_SCREEN = re.compile(
    rf"{_OPEN}(?:screen[ _-]?(?:shots?|cap(?:ture)?s?|grabs?)|bildschirm(?:foto|aufnahme)|schermata|istantanea schermo"
    r"|capture d.?[eé]cran|captura de (?:pantalla|tela|ecr[aã])|sk[aä]rmavbild|skjermbilde|sk[aæ]rmbillede"
    rf"|n[aä]ytt[oö]kuva|zrzut ekranu|sn[ií]mek obrazovky|снимок экрана|スクリーンショット|屏幕截图){_SHUT}"
)
_PAPERS = re.compile(
    rf"{_OPEN}(?:scan(?:s|ned)?|receipts?|invoices?|rechnung(?:en)?|belege?|quittung(?:en)?"
    rf"|factures?|re[cç]us?|facturas?|recibos?|fattur[ae]|ricevut[ae]){_SHUT}"
)
_DIGITS = bytes.maketrans(b"123456789", b"0" * 9)
_LOSSLESS = frozenset({"png", "webp"})
_SCANNED = frozenset({"jpeg", "png", "tiff"})
_SCREENS = frozenset({
    # Desks and laps.
    (1024, 768), (1280, 720), (1280, 800), (1280, 1024), (1366, 768), (1440, 900), (1600, 900), (1680, 1050),
    (1920, 1080), (1920, 1200), (2256, 1504), (2304, 1440), (2560, 1080), (2560, 1440), (2560, 1600), (2560, 1664),
    (2736, 1824), (2880, 1620), (2880, 1800), (3000, 2000), (3024, 1964), (3072, 1920), (3200, 1800), (3440, 1440),
    (3456, 2234), (3840, 1600), (3840, 2160), (3840, 2400), (4480, 2520), (5120, 1440), (5120, 2880), (6016, 3384),
    # Hands.
    (960, 640), (1136, 640), (1334, 750), (1600, 720), (1520, 720), (1560, 720), (1792, 828), (2160, 1080),
    (2208, 1242), (2220, 1080), (2232, 1080), (2240, 1080), (2280, 1080), (2310, 1080), (2316, 1080), (2340, 1080),
    (2376, 1080), (2388, 1080), (2400, 1080), (2408, 1080), (2412, 1080), (2436, 1125), (2532, 1170), (2556, 1179),
    (2622, 1206), (2688, 1242), (2778, 1284), (2796, 1290), (2868, 1320), (2880, 1440), (2960, 1440), (2992, 1344),
    (3040, 1440), (3088, 1440), (3120, 1440), (3200, 1440), (2048, 1536), (2160, 1620), (2224, 1668), (2266, 1488),
    (2360, 1640), (2388, 1668), (2420, 1668), (2732, 2048), (2752, 2064), (2000, 1200), (2800, 1752), (2960, 1848),
})  # fmt: skip
"""Pixels of screens, the longer side first."""
_INCHES = ((11.693, 8.268), (8.268, 5.827), (11.0, 8.5), (14.0, 8.5))
"""Papers: A4 and A5 (ISO 216), and those of 8½ inches."""
_PER_INCH = (100, 150, 200, 240, 300, 400, 600)
_NEAR = 0.012
"""How far a side may be off, as a share of it: scanners cut their edges."""


def guess(kind: str, container: str, name: str, model: str, lens: str, size: tuple[int, int]) -> str:
    """What a still likely is: a photograph, unless something speaks for another thing. Empty for what is no still.

    Args:
        kind: still, clip, sound, sidecar or other.
        container: its format's name.
        name: of the file.
        model: make and model of its device; empty where nothing is said.
        lens: likewise.
        size: in pixels, either way up; zeros where unknown.
    """
    if kind != Kind.STILL:
        return ""
    if model or lens:
        return PAPER if "scan" in model.casefold() and not lens else PHOTOGRAPH
    longer, shorter = max(size), min(size)
    said = _said(os.fsencode(name).translate(_DIGITS))
    if said == SCREENSHOT or (container in _LOSSLESS and (longer, shorter) in _SCREENS):
        return SCREENSHOT
    if said == PAPER or (container in _SCANNED and _is_paper(longer, shorter)):
        return PAPER
    return PHOTOGRAPH


@lru_cache(maxsize=4096)
def _said(name: bytes) -> str:
    """What a name says that it is. Names differ by their numbers mostly, which are all one here."""
    text = unicodedata.normalize("NFC", os.fsdecode(name)).casefold()
    if _SCREEN.search(text):
        return SCREENSHOT
    return PAPER if _PAPERS.search(text) else ""


@lru_cache(maxsize=4096)
def _is_paper(longer: int, shorter: int) -> bool:
    """Whether pixels are those of a sheet, as scanners make them."""
    return any(
        abs(longer - long * dots) <= _NEAR * long * dots and abs(shorter - short * dots) <= _NEAR * short * dots
        for long, short in _INCHES
        for dots in _PER_INCH
    )
