"""The papers' letters: Latin, Greek and Cyrillic, shipped, so that the same papers come out everywhere.

The files are parts of the DejaVu fonts (LICENSE.txt). They are embedded in PDF and SVG alike.
"""

from __future__ import annotations

import base64
from importlib import resources

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

SANS, BOLD, MONO = "DejaVu Sans", "DejaVu Sans Bold", "DejaVu Sans Mono"
_FILES = {SANS: "DejaVuSans.ttf", BOLD: "DejaVuSans-Bold.ttf", MONO: "DejaVuSansMono.ttf"}
_UNKNOWN = "?"


def _as_text(font: str) -> str:
    return base64.b64encode((resources.files(__package__) / _FILES[font]).read_bytes()).decode()


for _name, _file in _FILES.items():
    with resources.as_file(resources.files(__package__) / _file) as _path:
        pdfmetrics.registerFont(TTFont(_name, str(_path)))
pdfmetrics.registerFontFamily(SANS, normal=SANS, bold=BOLD, italic=SANS, boldItalic=BOLD)
_LETTERS = frozenset(pdfmetrics.getFont(SANS).face.charToGlyph)


def drawable(text: str) -> str:
    """The text, with a question mark for each letter that the fonts lack."""
    return "".join(char if ord(char) in _LETTERS else _UNKNOWN for char in text)


def embedded(svg: str) -> str:
    """An SVG with the fonts that it uses inside (CSS Fonts 3, 4.3), so that it looks alike on every machine."""
    faces = [
        f"@font-face {{ font-family: '{font}'; src: url(data:font/ttf;base64,{_as_text(font)}); }}"
        for font in _FILES
        if f"font-family: {font};" in svg
    ]
    head, mark, rest = svg.partition("<desc>")
    return f"{head}<style>{' '.join(faces)}</style>{mark}{rest}" if faces else svg
