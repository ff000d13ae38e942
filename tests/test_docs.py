"""The pages in docs say what the code says."""

from __future__ import annotations

import re
from pathlib import Path

from rook_tally.core.quantities.kinds import KINDS, Field
from rook_tally.core.quantities.levels import Four
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.core.wall.files import sheets_from_toml
from rook_tally.core.wall.tiling import COLUMNS, MOST_PANES, ROWS
from rook_tally.core.workings import function_catalogue as forms
from rook_tally.core.workings.parsing import parsed
from rook_tally.intake import bounds
from rook_tally.store.site import StrayBounds
from rook_tally.store.site.message_log import KEPT_LINES
from rook_tally.store.site.unassigned_messages import MOST_WRONG_KEYS

ROOT = Path(__file__).parent.parent


def _four(limits: Four) -> str:
    if all(limit is None for limit in limits):
        return ""
    return " / ".join("–" if limit is None else f"{limit:g}" for limit in limits)


def _field(field: Field) -> str:
    unit = f", {field.unit}" if field.unit else ""
    return f"`{field.name}` ({field.quantity}{unit})"


def test_every_quantity_stands_on_its_page() -> None:
    """If this fails: write the row it shows into docs/quantities.md."""
    page = (ROOT / "docs" / "quantities.md").read_text().splitlines()
    for one in QUANTITIES.values():
        units = ", ".join(unit.symbol or "state" for unit in one.units)
        row = (
            f"| `{one.slug}` | {one.name} | {units} | {one.accuracy:g} | "
            f"{one.believable[0]:g} … {one.believable[1]:g} | {_four(one.limits.above)} | "
            f"{_four(one.limits.below)} | {one.limits_source} |"
        )
        assert row in page


def test_every_kind_stands_on_its_page() -> None:
    page = (ROOT / "docs" / "quantities.md").read_text().splitlines()
    for one in KINDS.values():
        fields = ", ".join(_field(field) for field in one.fields)
        assert f"| `{one.slug}` | {one.name} | {one.cadence_s:g} s | {fields} |" in page


def test_every_formula_of_the_language_stands_on_its_page() -> None:
    """If this fails: write its row into docs/workings.md."""
    page = (ROOT / "docs" / "workings.md").read_text()
    for name in (*forms.MOMENTARY, *forms.MATHEMATICS, *forms.WINDOWS):
        assert f"| `{name}` |" in page, name


def test_every_example_of_the_language_can_be_read() -> None:
    page = (ROOT / "docs" / "workings.md").read_text()
    examples = page.split("## When", 1)[0].split("\n\n")[2].splitlines()
    assert len(examples) == 5
    for line in examples:
        parsed(line.strip())


def test_the_readme_shows_every_picture() -> None:
    readme = (ROOT / "README.md").read_text()
    pictures = [path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")]
    assert pictures
    assert len(pictures) < 20
    assert all(f"docs/screenshots/{name}" in readme for name in pictures)


def test_the_walls_page_names_every_kind_and_its_example_can_be_read() -> None:
    page = (ROOT / "docs" / "wall.md").read_text()
    for kind in PaneKind:
        assert f"| `{kind.value}` |" in page, kind
    example = page.split("```toml\n")[1].split("```")[0]
    (sheet,) = sheets_from_toml(example)
    assert [one.kind for one in sheet.panes] == [PaneKind.FIGURE, PaneKind.RIBBON, PaneKind.WORDS]
    assert f"{COLUMNS} columns and {ROWS} rows" in page
    assert f"at most {MOST_PANES}" in page


def test_the_bounds_stand_on_the_page_of_the_wire() -> None:
    """If this fails: write the bound into docs/wire.md, "What is taken at most"."""
    page = (ROOT / "docs" / "wire.md").read_text()
    table = page.split("## What is taken at most")[1].split("## ")[0]
    for bound in (
        f"{bounds.LARGEST_MESSAGE // 1024} KiB",
        f"{bounds.DEEPEST} levels",
        f"| {bounds.MOST_VALUES} |",
        f"| {bounds.MOST_COLUMNS} |",
        f"{bounds.LONGEST_NAME} characters",
        f"{bounds.LONGEST_UNIT} characters",
        f"{bounds.LONGEST_LINE // 1024} KiB",
        f"| {bounds.MOST_TOLD}, then",
        f"| {bounds.MOST_CLAIMED} |",
        f"| {bounds.MOST_CONNECTIONS}, each",
        f"{bounds.BODY_WITHIN_S:g} s",
        f"| {bounds.MOST_WAITING}, or {bounds.MOST_WAITING_BYTES // 2**20} MB",
        f"{StrayBounds().most_bytes // 10**6} MB and {StrayBounds().most_days:g} days",
        f"{MOST_WRONG_KEYS} with a wrong access key",
        f"{KEPT_LINES} messages",
    ):
        assert bound in table, bound


def test_what_the_page_of_trust_names_is_there() -> None:
    page = (ROOT / "docs" / "trust.md").read_text()
    for path in re.findall(r"`(tests/[^`]+)`", page):
        assert (ROOT / path).exists(), path
