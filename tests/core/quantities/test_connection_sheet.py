"""The connection sheet: examples that would be believed, programs that hold what they must."""

from __future__ import annotations

import ast
import json
import subprocess

import pytest
from msgspec.structs import replace

from rook_tally.core.quantities.connection_sheet import (
    HIDDEN_KEY,
    ConnectionSheet,
    Sender,
    example_message,
)
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.core.quantities.registry import QUANTITIES
from tests.core.firmware.test_images import KEY

FIELDS = {"temp": QUANTITIES["temperature"], "on": QUANTITIES["switch"]}
SHEET = ConnectionSheet("kiln-1", 30.0, "10.0.0.5:4711", "10.0.0.5", 4712, example_message(FIELDS))


@pytest.mark.parametrize("slug", KINDS)
def test_an_example_of_each_kind_would_be_believed(slug: str) -> None:
    fields = {one.name: QUANTITIES[one.quantity] for one in KINDS[slug].fields}
    for name, value in example_message(fields).items():
        if name in fields:
            assert fields[name].is_believable(float(value))
            assert fields[name].default_limits(indoors=True).level_of(float(value)) == 0


@pytest.mark.parametrize("sender", Sender)
def test_a_program_without_a_key_says_where_it_belongs_or_needs_none(sender: Sender) -> None:
    program = SHEET.program(sender)
    assert "kiln-1" in program
    assert "{" + "station}" not in program
    assert (HIDDEN_KEY in program) is (sender is not Sender.MOSQUITTO)
    assert ("10.0.0.5:4711" in program) is (sender is not Sender.MOSQUITTO)


@pytest.mark.parametrize("sender", Sender)
def test_a_program_with_a_key_holds_it_once(sender: Sender) -> None:
    program = SHEET.program(sender, "s3cret-key")
    assert program.count("s3cret-key") == 1
    assert not any(one in program for one in ('"KEY"', "Bearer KEY", "-P 'KEY'"))


@pytest.mark.parametrize("sender", [Sender.PYTHON, Sender.MICROPYTHON])
def test_python_is_python(sender: Sender) -> None:
    tree = ast.parse(SHEET.program(sender, "k"))
    functions = {one.name: one for one in tree.body if isinstance(one, ast.FunctionDef)}
    measure = functions["measure"]
    returned = measure.body[-1]
    assert isinstance(returned, ast.Return)
    assert returned.value is not None
    assert ast.literal_eval(returned.value) == SHEET.example


def test_names_with_quotes_and_accents_stay_whole() -> None:
    odd = ConnectionSheet("a", 1.0, "h:1", "h", 2, {'t"x': 1.5, "Wärme": 20.0})
    assert json.loads(odd.example_text) == {'t"x': 1.5, "Wärme": 20.0}
    assert '\\"t\\\\\\"x\\": %.3f' in odd.program(Sender.ARDUINO)
    assert "Wärme" in odd.program(Sender.CURL)


@pytest.mark.parametrize("name", ["it's", 'say "hi"', "50% rh", "back\\slash", "$HOME `x`"])
def test_whatever_a_field_is_called_a_shell_sends_it_whole(name: str) -> None:
    odd = ConnectionSheet("a", 1.0, "h:1", "h", 2, {name: 1.5})
    program = odd.program(Sender.CURL).replace("curl -sS", "printf '%s\\n'")
    done = subprocess.run(["sh", "-c", program], capture_output=True, text=True, check=True)
    assert json.loads(done.stdout.splitlines()[-1]) == {name: 1.5}


@pytest.mark.parametrize("sender", Sender)
def test_a_program_takes_updates_where_the_site_has_a_key(sender: Sender) -> None:
    sheet = replace(SHEET, kind="soil-post", firmware_key=KEY.public)
    files = sheet.files(sender, "s3cret-key")
    program = list(files.values())[-1]
    takes_them = sender in (Sender.PYTHON, Sender.MICROPYTHON, Sender.ARDUINO)
    assert ("VERSION" in program) is takes_them
    assert ("/v1/firmware" in program) is takes_them
    assert program.count("s3cret-key") == 1
    assert "/v1/firmware" not in SHEET.program(sender)
    if sender is Sender.ARDUINO:
        assert "0x3d, 0x40, 0x17" in program
        assert "lib_deps" in files["platformio.ini"]
        assert "lib_deps" not in SHEET.files(sender)["platformio.ini"]
    elif takes_them:
        ast.parse(program, feature_version=(3, 7))
        assert KEY.public in program
