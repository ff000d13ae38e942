"""Controls: what a station lets itself be told, and the values it can be told."""

from __future__ import annotations

import enum
import math

import msgspec

from rook_tally.core.errors import UsageError

USUAL_CONFIRM_S = 10.0
USUAL_LAPSE_S = 60.0


class ControlKind(enum.Enum):
    """A kind of control."""

    SWITCH = "switch"
    NUMBER = "number"
    CHOICE = "choice"
    BUTTON = "button"


SWITCH_ON, SWITCH_OFF, PRESSED = "on", "off", "press"
_SWITCH_WORDS = {
    "on": SWITCH_ON,
    "true": SWITCH_ON,
    "yes": SWITCH_ON,
    "1": SWITCH_ON,
    "off": SWITCH_OFF,
    "false": SWITCH_OFF,
    "no": SWITCH_OFF,
    "0": SWITCH_OFF,
}


class Control(msgspec.Struct, frozen=True):
    """A switch, number, choice or button of a kind.

    Attributes
    ----------
    name : str
        Its name on the wire.
    unit : str
        Of a number; empty for none.
    low, high : float
        Least and greatest number.
    choices : tuple of str
        Of a choice.
    confirm_s : float
        So long a station may take to say that it has done it.
    lapse_s : float
        A request that nobody could carry out for so long is not carried out any more.
    """

    name: str
    title: str
    sort: ControlKind
    unit: str = ""
    low: float = -math.inf
    high: float = math.inf
    choices: tuple[str, ...] = ()
    confirm_s: float = USUAL_CONFIRM_S
    lapse_s: float = USUAL_LAPSE_S

    def value_from(self, text: str) -> str:
        """The value to send for a person's text.

        Raises
        ------
        UsageError
            When this control cannot be set so; it says how it can.
        """
        word = text.strip()
        if self.sort is ControlKind.SWITCH:
            told = _SWITCH_WORDS.get(word.lower())
            if told is not None:
                return told
        elif self.sort is ControlKind.CHOICE:
            for choice in self.choices:
                if choice.lower() == word.lower():
                    return choice
        elif self.sort is ControlKind.BUTTON:
            if word.lower() in ("", PRESSED):
                return PRESSED
        else:
            try:
                number = float(word.replace("−", "-"))
            except ValueError:
                number = math.nan
            if self.low <= number <= self.high and math.isfinite(number):
                return f"{number:.12g}"
        raise UsageError(
            f"{self.name} cannot be {text!r}", kept="nothing was asked", remedy=self.allowed
        )

    @property
    def allowed(self) -> str:
        """The allowed values, in words."""
        if self.sort is ControlKind.SWITCH:
            return "on or off"
        if self.sort is ControlKind.CHOICE:
            return " or ".join(self.choices)
        if self.sort is ControlKind.BUTTON:
            return "press"
        unit = f" {self.unit}" if self.unit else ""
        if math.isinf(self.low) and math.isinf(self.high):
            return "any number" + (f" of{unit}" if unit else "")
        if math.isinf(self.low):
            return f"a number up to {self.high:g}{unit}"
        if math.isinf(self.high):
            return f"a number from {self.low:g}{unit}"
        return f"a number from {self.low:g} to {self.high:g}{unit}"

    def is_confirmed_by(self, asked: str, reported: str) -> bool:
        """True if what a station reports is what was asked; a number may come back rounded."""
        if self.sort is ControlKind.BUTTON:
            return True
        try:
            told = self.value_from(reported)
        except UsageError:
            return False
        if self.sort is ControlKind.NUMBER:
            wanted = float(asked)
            return abs(float(told) - wanted) <= max(1e-9, 0.005 * abs(wanted))
        return told == asked
