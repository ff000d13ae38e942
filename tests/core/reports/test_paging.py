"""Pages: nothing stands outside of them, tables begin anew with their head, words keep together."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.reports.definitions import Paper
from rook_tally.core.reports.document import (
    Paragraph,
    ReportCell,
    ReportDocument,
    ReportSection,
    ReportTable,
)
from rook_tally.core.reports.drawing import Text, svg_of
from rook_tally.core.reports.paging import laid_out, runs_of, words_of


def measure(text: str, size: float, _is_strong: bool) -> float:
    return 0.5 * size * len(text)


def document(*sections: ReportSection) -> ReportDocument:
    return ReportDocument("m", "2026-10", "October", "Pottery", ("12 stations",), sections)


def texts(told: ReportDocument, paper: Paper = Paper.A4) -> list[list[Text]]:
    pages = laid_out(told, paper, measure).pages
    return [[one for one in page.items if isinstance(one, Text)] for page in pages]


@given(st.integers(0, 200), st.sampled_from(Paper))
def test_rows_go_on_over_pages_each_with_its_head(count: int, paper: Paper) -> None:
    rows = tuple((ReportCell(f"row {at}"), ReportCell(str(at))) for at in range(count))
    told = texts(
        document(
            ReportSection("figures", "Figures", (ReportTable(("What", "how"), rows, (3, 1), "lr"),))
        ),
        paper,
    )
    found = [one.text for page in told for one in page if one.text.startswith("row ")]
    assert found == [f"row {at}" for at in range(count)]
    for page in told:
        if any(one.text.startswith("row ") for one in page):
            assert "What" in [one.text for one in page]
        assert all(0 < one.y < 842 for one in page)


def test_a_paragraph_is_broken_between_words_and_what_stands_out_keeps_its_comma() -> None:
    block = Paragraph("The booth was past it on nine days, for 8 h in all. " * 9, ("nine days",))
    assert runs_of(block)[1] == ("nine days", True)
    words = list(words_of(block))
    comma = next(at for at, one in enumerate(words) if one.text == ",")
    assert words[comma].is_glued and words[comma - 1].is_strong
    (page,) = texts(document(ReportSection("sentences", "", (block,))))
    lines = {one.y for one in page if one.size == 11}
    assert len(lines) > 3
    assert all(54 <= one.x <= 542 for one in page)


def test_foreign_words_are_only_words_in_a_drawing() -> None:
    from rook_tally.core.reports.drawing import Drawing

    told = svg_of(Drawing(9, 9, (Text(0, 0, "<script>&"),)), '"><script>')
    assert "<script>" not in told
