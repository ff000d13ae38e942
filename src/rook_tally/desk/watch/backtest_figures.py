"""A backtest in four figures, and a line of other limits."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from rook_tally.core.alarms.sentences import run_words, span_words
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.theme import Theme
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.desk.parts.fonts_and_colours import BOLD, MEDIUM, face
from rook_tally.desk.parts.label import Label
from rook_tally.desk.parts.widgets import tint
from rook_tally.desk.watch.model import WatchModel
from rook_tally.desk.watch.texts import tr, tr_count

_NUISANCES_S = (60.0, 300.0, 900.0, 3600.0)


class _Figure(QWidget):
    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.value, self.name, self.note = Label(), Label(), Label()
        self.value.setFont(face(20, MEDIUM))
        self.name.setFont(face(12))
        self.note.setFont(face(11))
        tint(self.note, theme.dim)
        for label in (self.name, self.note):
            label.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for label in (self.value, self.name, self.note):
            column.addWidget(label)
        column.addStretch(1)

    def show_figure(self, value: str, name: str, note: str = "") -> None:
        self.value.setText(value)
        self.name.setText(name)
        self.note.setText(note)
        self.setVisible(bool(value))


class Figures(QWidget):
    """Rings, time standing, how long a control would have run, likely nuisances."""

    def __init__(self, theme: Theme, model: WatchModel) -> None:
        super().__init__()
        self._theme, self._model = theme, model
        self.rang, self.stood, self.ran, self.nuisances = (_Figure(theme) for _ in range(4))
        # It holds a link.
        self.nuisances.note.setTextFormat(Qt.TextFormat.RichText)
        self.nuisances.note.linkActivated.connect(self._next_nuisance)
        self.nuisances.note.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse
            | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
        )
        self._others_head = Label(tr("Other limits on the same days"))
        self._others_head.setFont(face(12, BOLD))
        self.others = Label()
        self.others.setFont(face(13))
        self.others.setTextFormat(Qt.TextFormat.RichText)
        self.others.setWordWrap(True)
        row = QHBoxLayout()
        row.setSpacing(16)
        for one in (self.rang, self.stood, self.ran, self.nuisances):
            row.addWidget(one, 1)
        line = QHBoxLayout()
        line.setSpacing(24)
        line.addWidget(self._others_head)
        line.addWidget(self.others, 1)
        rule = QWidget()
        rule.setFixedHeight(1)
        rule.setStyleSheet(f"background: {theme.rule};")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(10)
        column.addLayout(row)
        column.addWidget(rule)
        column.addLayout(line)

    def _next_nuisance(self, _link: str = "") -> None:
        """Take the next length below which an alarm counts as a nuisance."""
        at = _NUISANCES_S.index(self._model.backtest.nuisance_s)
        self._model.backtest.count_as_nuisance(_NUISANCES_S[(at + 1) % len(_NUISANCES_S)])

    def refresh(self) -> None:
        """Show what the backtest comes to."""
        model = self._model
        told, draft = model.backtest.result, model.draft
        for one in (self.rang, self.stood, self.ran, self.nuisances):
            one.setVisible(told is not None)
        self._others_head.setVisible(bool(model.backtest.others))
        self.others.setVisible(bool(model.backtest.others))
        if told is None or draft is None:
            return
        counts = told.counts
        wait = tr("{0} without the {1} wait", counts.without_wait, span_words(draft.for_s))
        self.rang.show_figure(
            str(counts.rang),
            tr_count(counts.rang, "time it would have rung", "times it would have rung"),
            wait if draft.for_s else "",
        )
        longest = ""
        if counts.longest_at_us is not None:
            moment = datetime_from_time_us(counts.longest_at_us).astimezone(model.state.zone)
            longest = tr(
                "longest {0}, {1}", duration(counts.longest_us / 1e6), moment.strftime("%a %d")
            )
        self.stood.show_figure(duration(counts.standing_us / 1e6), tr("standing in all"), longest)
        if draft.run is not None:
            self.ran.show_figure(
                duration(counts.ran_us / 1e6),
                tr("{0} running", run_words(draft.run)),
                tr("of {0} h", round(counts.span_us / 3.6e9)),
            )
        else:
            self.ran.hide()
        self.nuisances.show_figure(
            str(counts.nuisances),
            tr("likely nuisances"),
            f'<a href="next" style="color: {self._theme.sheen}; text-decoration: none">'
            f"{tr('shorter than {0}', span_words(model.backtest.nuisance_s))}</a>",
        )
        ink = self._theme.level(draft.level or Level.HIGH)
        shown = [
            f'<span style="color:{ink}"><b>{limit}</b></span> {_times(count)}'
            if is_mine
            else f"{limit} <span style='color:{self._theme.dim}'>{_times(count)}</span>"
            for limit, count, is_mine in model.backtest.others
        ]
        self.others.setText("&nbsp;&nbsp;&nbsp;&nbsp;".join(shown))


def _times(count: int) -> str:
    return tr_count(count, "{0} time", "{0} times")
