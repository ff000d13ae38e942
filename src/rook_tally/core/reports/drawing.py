"""Drawings made of a few primitives, so that page, file and screen show the same.

Lengths are points (1/72 inch), y downwards. Colours are `#RRGGBB`.
"""

from __future__ import annotations

from html import escape

import msgspec

INK, DIM, RULE, STRONG_RULE = "#1D2331", "#6F6B62", "#DDD6C6", "#B9AF9A"


class Box(msgspec.Struct, frozen=True, tag="box"):
    """A filled rectangle."""

    x: float
    y: float
    width: float
    height: float
    fill: str
    opacity: float = 1.0


class Boxes(msgspec.Struct, frozen=True, tag="boxes"):
    """Many filled rectangles of one shade: x, y, width and height in turn. A table of hours has
    thousands of them, and one item is drawn faster than each by itself."""

    rects: tuple[float, ...]
    fill: str
    opacity: float = 1.0


class Lines(msgspec.Struct, frozen=True, tag="lines"):
    """Many straight lines of one ink: x and y of both ends in turn."""

    ends: tuple[float, ...]
    ink: str
    thick: float = 1.0


class Stroke(msgspec.Struct, frozen=True, tag="line"):
    """A line through points, x and y in turn."""

    points: tuple[float, ...]
    ink: str
    thick: float = 1.0
    dashed: bool = False


class Shape(msgspec.Struct, frozen=True, tag="area"):
    """A filled shape, its corners x and y in turn."""

    points: tuple[float, ...]
    fill: str
    opacity: float = 1.0


class Text(msgspec.Struct, frozen=True, tag="text"):
    """A line of text on its base line; `side` is where x lies: `l`, `m` or `r`."""

    x: float
    y: float
    text: str
    size: float = 9.0
    is_strong: bool = False
    ink: str = INK
    side: str = "l"


Item = Box | Boxes | Stroke | Lines | Shape | Text


class Drawing(msgspec.Struct, frozen=True):
    """Items on a ground of so many points."""

    width: float
    height: float
    items: tuple[Item, ...]

    def moved(self, x: float, y: float) -> tuple[Item, ...]:
        """Its items elsewhere."""
        return tuple(_moved(one, x, y) for one in self.items)


def _moved(item: Item, x: float, y: float) -> Item:
    """Built anew and not replaced: a report has ten thousand of them."""
    match item:
        case Box():
            return Box(item.x + x, item.y + y, item.width, item.height, item.fill, item.opacity)
        case Text():
            words = item.text, item.size, item.is_strong, item.ink, item.side
            return Text(item.x + x, item.y + y, *words)
        case Boxes():
            told = list(item.rects)
            told[::4] = [one + x for one in item.rects[::4]]
            told[1::4] = [one + y for one in item.rects[1::4]]
            return Boxes(tuple(told), item.fill, item.opacity)
        case Lines():
            return Lines(_shifted(item.ends, x, y), item.ink, item.thick)
        case Stroke():
            return Stroke(_shifted(item.points, x, y), item.ink, item.thick, item.dashed)
        case Shape():
            return Shape(_shifted(item.points, x, y), item.fill, item.opacity)


def _shifted(points: tuple[float, ...], x: float, y: float) -> tuple[float, ...]:
    told = list(points)
    told[::2] = [one + x for one in points[::2]]
    told[1::2] = [one + y for one in points[1::2]]
    return tuple(told)


_ANCHORS = {"l": "start", "m": "middle", "r": "end"}


def svg_of(drawing: Drawing, spoken: str) -> str:
    """The drawing as an SVG element that needs nothing else."""
    told = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_n(drawing.width)} '
        f'{_n(drawing.height)}" role="img" aria-label="{escape(spoken)}">'
    ]
    told += [_element(one) for one in drawing.items]
    return "".join([*told, "</svg>"])


def _element(item: Item) -> str:
    match item:
        case Box():
            return (
                f'<rect x="{_n(item.x)}" y="{_n(item.y)}" width="{_n(item.width)}" '
                f'height="{_n(item.height)}" fill="{item.fill}"{_opacity(item.opacity)}/>'
            )
        case Boxes():
            told = item.rects
            path = "".join(
                [
                    f"M{x:g} {y:g}h{wide:g}v{tall:g}h{-wide:g}z"
                    for x, y, wide, tall in zip(
                        told[::4], told[1::4], told[2::4], told[3::4], strict=True
                    )
                ]
            )
            return f'<path d="{path}" fill="{item.fill}"{_opacity(item.opacity)}/>'
        case Lines():
            ends = item.ends
            path = "M%g %gL%g %g" * (len(ends) // 4) % ends
            return f'<path d="{path}" stroke="{item.ink}" stroke-width="{_n(item.thick)}"/>'
        case Stroke():
            dashes = ' stroke-dasharray="3 2.5"' if item.dashed else ""
            return (
                f'<polyline points="{_points(item.points)}" fill="none" stroke="{item.ink}" '
                f'stroke-width="{_n(item.thick)}"{dashes}/>'
            )
        case Shape():
            return (
                f'<polygon points="{_points(item.points)}" fill="{item.fill}"'
                f"{_opacity(item.opacity)}/>"
            )
        case Text():
            weight = ' font-weight="600"' if item.is_strong else ""
            return (
                f'<text x="{_n(item.x)}" y="{_n(item.y)}" font-size="{_n(item.size)}" '
                f'fill="{item.ink}" text-anchor="{_ANCHORS[item.side]}"{weight}>'
                f"{escape(item.text)}</text>"
            )


def _opacity(value: float) -> str:
    return "" if value == 1 else f' opacity="{_n(value)}"'


def _points(points: tuple[float, ...]) -> str:
    # They are rounded to a hundredth where they are made. All at once: a trace has hundreds.
    return (" %g,%g" * (len(points) // 2) % points)[1:]


def _n(value: float) -> str:
    return f"{round(value, 2):g}"
