"""The sheet to print as PDF: the strip as it stands on the page, chord shapes, tablature, text; on
white, with the application's own type.
"""

from collections.abc import Callable
from enum import StrEnum
from itertools import groupby
from pathlib import Path
from typing import Any

from thrumble.web.drawings.bars import BarDrawing
from thrumble.web.drawings.shapes import ShapeDrawing
from thrumble.web.riffs.views import PreviewView

FONTS = Path(__file__).parent.parent / "vendor/fonts"
HEAD, BODY, MONO = "head", "body", "Courier"
MARGIN, GAP = 40.0, 14.0
BARS_A_ROW = 4  # of the commonest length
INK, SOFT, EMBER, SLATE = (33, 29, 25), (101, 92, 82), (191, 67, 25), (56, 87, 122)
BAND, DEAD = (225, 216, 199), (214, 208, 198)
MAX_MONO_PT = 8.0
MAX_TOGETHER = 16  # so many lines without a blank one, a row of tablature say, stay on one page
MONO_EM = 0.6  # a letter's width in Courier


class Paper(StrEnum):
    """The paper sizes of a sheet."""

    A4 = "a4"
    LETTER = "letter"


def sheet_pdf(
    preview: PreviewView,
    shapes: list[ShapeDrawing],
    *,
    tab: str,
    source: str,
    paper: Paper,
) -> bytes:
    """The sheet, as many pages as it takes."""
    # this library takes its second to load: who prints nothing need not wait for it
    from fpdf import FPDF

    pdf = FPDF(unit="pt", format=paper.value)
    pdf.set_margins(MARGIN, MARGIN)
    pdf.set_auto_page_break(False)
    pdf.add_font(HEAD, fname=FONTS / "barlow-condensed-latin-600-normal.ttf")
    pdf.add_font(BODY, fname=FONTS / "atkinson-hyperlegible-latin-400-normal.ttf")
    pdf.set_title(preview.title)
    pdf.set_creator("Thrumble")
    sheet = _Sheet(pdf)
    sheet.heading(preview.title, 22)
    sheet.line(preview.facts)
    sheet.bars(preview.strip)
    if any(preview.seconds):
        sheet.heading("Second part", 13)
        sheet.bars([bar for bar in preview.seconds if bar is not None])
    if shapes:
        sheet.heading("Shapes", 13)
        sheet.shapes(shapes)
    sheet.heading("Tablature", 13)
    sheet.mono(tab)
    sheet.heading("Text", 13)
    sheet.mono(source)
    return bytes(pdf.output())


class _Sheet:
    """Goes down the pages."""

    def __init__(self, pdf: Any) -> None:
        self.pdf = pdf
        pdf.add_page()
        self.y = MARGIN
        self.wide = pdf.w - 2 * MARGIN

    def _room(self, height: float) -> None:
        """A new page if this much does not fit any more."""
        if self.y + height > self.pdf.h - MARGIN:
            self.pdf.add_page()
            self.y = MARGIN

    def heading(self, text: str, size: float) -> None:
        self._room(size * 2.4)
        self.y += size * 1.1
        self._font(HEAD, size, INK)
        self.pdf.text(MARGIN, self.y, text)
        self.y += size * 0.5

    def line(self, text: str) -> None:
        self._font(BODY, 9.5, SOFT)
        self.y += 8
        self.pdf.text(MARGIN, self.y, text)
        self.y += GAP

    def mono(self, text: str) -> None:
        lines = text.expandtabs(2).rstrip().split("\n")
        longest = max((len(line) for line in lines), default=1)
        size = min(MAX_MONO_PT, self.wide / (MONO_EM * max(1, longest)))
        size = max(4.0, size)
        for _, together in groupby(lines, key=lambda line: bool(line.strip())):
            rows = list(together)
            if len(rows) <= MAX_TOGETHER:
                self._room(size * 1.3 * len(rows))
            for line in rows:
                self._room(size * 1.3)
                self.y += size * 1.3
                self._font(MONO, size, INK)
                plain = line.encode("latin-1", "replace").decode("latin-1")
                self.pdf.text(MARGIN, self.y, plain[: int(self.wide / (MONO_EM * size)) + 1])
        self.y += GAP

    def _font(self, name: str, size: float, colour: tuple[int, int, int]) -> None:
        self.pdf.set_font(name, size=size)
        self.pdf.set_text_color(*colour)

    def bars(self, bars: list[BarDrawing]) -> None:
        """The strip, row by row."""
        if not bars:
            return
        usual = sorted(bar.width for bar in bars)[len(bars) // 2]
        scale = min(self.wide / (BARS_A_ROW * usual), self.wide / max(bar.width for bar in bars))
        x = MARGIN
        high = max(bar.height for bar in bars) * scale
        self._room(high)
        for bar in bars:
            if x > MARGIN and x + bar.width * scale > MARGIN + self.wide + 0.5:
                x = MARGIN
                self.y += high + 4
                self._room(high)
            self._bar(bar, x, self.y, scale)
            x += bar.width * scale
        self.y += high + GAP

    def _bar(self, bar: BarDrawing, x: float, y: float, scale: float) -> None:
        pdf = self.pdf
        pdf.set_fill_color(*BAND)
        pdf.rect(x, y + bar.line_y * scale, bar.width * scale, 20 * scale, style="F")
        pdf.set_draw_color(*SOFT)
        pdf.set_line_width(0.4)
        pdf.line(x, y + 4 * scale, x, y + bar.height * scale)
        fills = {"open": EMBER, "palm": SLATE, "dead": DEAD}
        with pdf.drawing_context() as context:
            place = _placed(x, y, scale)
            for block in bar.plan:
                edge = INK if block.css == "dead" else None
                context.add_item(place(block.path, fills[block.css], edge))
                if block.stop:
                    context.add_item(place(block.stop, INK, None))
                if block.signs:
                    context.add_item(place(block.signs, None, INK))
            for ramp in bar.ramps:
                context.add_item(place(ramp, None, INK))
        self._font(HEAD, 14 * scale, SOFT)
        pdf.text(x + 4 * scale, y + 14 * scale, str(bar.number))
        for number, word in enumerate(bar.chords):
            at = x + (word.x + (18 if number == 0 else 1)) * scale
            self._font(HEAD, 17 * scale, INK)
            pdf.text(at, y + 15 * scale, word.text)
            after = at + pdf.get_string_width(word.text) + 3 * scale
            self._font(HEAD, 12 * scale, SOFT)
            pdf.text(after, y + 15 * scale, word.css)
        self._font(HEAD, 13 * scale, SOFT)
        for slot in bar.slots:
            pdf.text(x + (slot.x + 4) * scale, y + (bar.line_y + 14) * scale, slot.text)

    def shapes(self, shapes: list[ShapeDrawing]) -> None:
        """Chord shapes beside each other."""
        x = MARGIN
        high = max(shape.height for shape in shapes) * SHAPE_SCALE
        self._room(high)
        for shape in shapes:
            if x > MARGIN and x + shape.width * SHAPE_SCALE > MARGIN + self.wide:
                x = MARGIN
                self.y += high + 6
                self._room(high)
            self._shape(shape, x, self.y)
            x += shape.width * SHAPE_SCALE + GAP
        self.y += high + GAP

    def _shape(self, shape: ShapeDrawing, x: float, y: float) -> None:
        pdf, s = self.pdf, SHAPE_SCALE
        self._font(HEAD, 17 * s, INK)
        pdf.text(x + shape.strings_from * s, y + 14 * s, shape.name)
        pdf.set_draw_color(*INK)
        pdf.set_line_width(0.5)
        first, last = y + shape.strings[0] * s, y + shape.strings[-1] * s
        for string in shape.strings:
            at = y + string * s
            pdf.line(x + shape.strings_from * s, at, x + shape.strings_to * s, at)
        for fret in shape.frets:
            pdf.line(x + fret * s, first, x + fret * s, last)
        if shape.nut is not None:
            pdf.set_line_width(2)
            pdf.line(x + shape.nut * s, first, x + shape.nut * s, last)
            pdf.set_line_width(0.5)
        end = x + shape.end_x * s
        for string in shape.opens:
            pdf.circle(end, y + string * s, 3.4 * s)
        for string in shape.mutes:
            at = y + string * s
            pdf.line(end - 2, at - 2, end + 2, at + 2)
            pdf.line(end - 2, at + 2, end + 2, at - 2)
        pdf.set_fill_color(*EMBER)
        for dot_x, dot_y, _ in shape.dots:
            pdf.circle(x + dot_x * s, y + dot_y * s, 5 * s, style="F")
        self._font(HEAD, 12 * s, SOFT)
        for word in shape.numbers:
            at = x + word.x * s - pdf.get_string_width(word.text) / 2
            pdf.text(at, y + (shape.height - 3) * s, word.text)


SHAPE_SCALE = 0.75
Colour = tuple[int, int, int] | None


def _placed(x: float, y: float, scale: float) -> Callable[[str, Colour, Colour], Any]:
    """A function that makes a PDF path of the page's SVG path data, moved to its place on the
    sheet.
    """
    from fpdf.drawing import GraphicsContext, PaintedPath
    from fpdf.drawing_primitives import DeviceRGB, Transform
    from fpdf.svg import svg_path_converter

    def colour(value: Colour) -> Any:
        return None if value is None else DeviceRGB(*(part / 255 for part in value))

    def path(data: str, fill: Colour, stroke: Colour) -> Any:
        drawn = PaintedPath()
        svg_path_converter(drawn, data)
        drawn.style.fill_color = colour(fill)
        drawn.style.stroke_color = colour(stroke)
        drawn.style.stroke_width = 1.4
        drawn.style.auto_close = False
        context = GraphicsContext()
        context.transform = Transform.scaling(scale, scale).translate(x, y)
        context.add_item(drawn)
        return context

    return path
