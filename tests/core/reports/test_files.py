"""Reports as files: nothing is lost, and what cannot be is refused with its name."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.guidelines import GUIDELINES, checked_guideline
from rook_tally.core.reports.definitions import Paper, Report, ReportForm, ReportPart, ReportStretch
from rook_tally.core.reports.files import reports_from_toml, reports_to_toml

WORDS = st.text("abc äß\"'\\", min_size=1, max_size=12).filter(lambda one: bool(one.strip()))


@st.composite
def reports(draw: st.DrawFn) -> Report:
    stretch = draw(st.sampled_from(ReportStretch))
    is_own = stretch is ReportStretch.OWN
    folder = draw(WORDS)
    return Report(
        slug=draw(st.text("abcdef", min_size=1, max_size=8)),
        name=draw(WORDS),
        stretch=stretch,
        places=tuple(draw(st.lists(WORDS, max_size=2))),
        parts=tuple(draw(st.lists(st.sampled_from(ReportPart), min_size=1, unique=True))),
        begin=date(2026, 8, 12) if is_own else None,
        end=date(2026, 8, 14) if is_own else None,
        at="" if is_own else draw(st.sampled_from(["", "06:00", "23:59"])),
        folder=folder,
        forms=tuple(draw(st.lists(st.sampled_from(ReportForm), min_size=1, unique=True))),
        paper=draw(st.sampled_from(Paper)),
    )


@given(st.lists(reports(), max_size=3, unique_by=lambda one: one.slug))
def test_what_is_written_is_read_again(told: list[Report]) -> None:
    assert reports_from_toml(reports_to_toml(told)) == tuple(told)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("nonsense =", "no TOML"),
        ("format = 9", "newer"),
        ("[[sheet]]\nslug = 'a'", "holds reports"),
        ("[[report]]\nslug = 'a'\nname = 'a'\nat = '25:00'\nfolder = 'x'", "no time of day"),
        ("[[report]]\nslug = 'a'\nname = 'a'\nat = '06:00'", "neither a folder nor a mail"),
        ("[[report]]\nslug = 'a'\nname = 'a'\nstretch = 'own'", "a first and a last day"),
        ("[[report]]\nslug = 'A b'\nname = 'a'", "cannot be a report's name"),
        ("[[report]]\nslug = 'a'\nname = 'a'\nparts = ['gossip']", "gossip"),
        ("[[report]]\nslug = 'a'\nname = 'a'\nparts = []", "no part"),
    ],
)
def test_a_file_that_cannot_be_says_why(text: str, why: str) -> None:
    with pytest.raises(UsageError, match=why) as told:
        reports_from_toml(text)
    assert "no report was changed" in str(told.value)


def test_every_guideline_can_be_and_has_a_source() -> None:
    assert all(checked_guideline(one).source for one in GUIDELINES)
    assert len({one.slug for one in GUIDELINES}) == len(GUIDELINES)
