"""What a sender is told of its message, whatever the door: counts, and what is wrong with it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, TypedDict

from rook_tally.intake.message import IntakeResult, Problem, RejectedValue

PROBLEM_TITLES: Final = {
    Problem.UNREADABLE: "The message cannot be read",
    Problem.EMPTY: "The message holds no readings",
    Problem.WRONG_KEY: "The access key is not known",
}


class ToldValue(TypedDict):
    """A value that was not kept, or a remark on one that was: its place, its field, why."""

    at: int
    field: str
    why: str


class AnswerCounts(TypedDict, total=False):
    """The counts of an answer; those that are nothing beside the usual ones are left out."""

    kept: int
    duplicate: int
    suspect: int
    stray: int
    heard: int
    left_out: int
    refused: list[ToldValue]
    noted: list[ToldValue]
    strays: list[ToldValue]
    controls: dict[str, str]
    controls_for_s: dict[str, float]


def answer_counts(
    answer: IntakeResult, controls: Mapping[str, tuple[str, float | None]]
) -> AnswerCounts:
    """What became of a message, and the controls its station is to set."""
    counts = AnswerCounts(
        kept=answer.kept,
        duplicate=answer.duplicate,
        suspect=answer.suspect,
        stray=answer.stray,
        refused=_told(answer.refused),
    )
    if answer.noted:
        counts["noted"] = _told(answer.noted)
    if answer.strays:
        counts["strays"] = _told(answer.strays)
    if answer.heard:
        counts["heard"] = answer.heard
    if controls:
        counts["controls"] = {name: value for name, (value, _) in controls.items()}
        limited = {name: for_s for name, (_, for_s) in controls.items() if for_s is not None}
        if limited:
            counts["controls_for_s"] = limited
    if answer.problem is None and answer.left_out:
        counts["left_out"] = answer.left_out
    return counts


def problem_detail(answer: IntakeResult) -> str:
    """Why a message as a whole could not be taken, and whether it waits."""
    return answer.why + ("; kept as a stray" if answer.stray else "")


def is_taken(answer: IntakeResult) -> bool:
    """True if something of a message was kept, or had been already."""
    return bool(answer.kept or answer.duplicate or answer.heard or answer.left_out)


def _told(several: list[RejectedValue]) -> list[ToldValue]:
    return [ToldValue(at=one.at, field=one.field, why=one.why) for one in several]
