"""The thing in hand: what was typed, what is saved, and what somebody else makes of it."""

from __future__ import annotations

import msgspec
import pytest

from rook_tally.desk.data.draft_in_hand import DraftInHand
from rook_tally.desk.data.drafts import DraftBook, DraftFile
from rook_tally.desk.data.undo import LocalStep


class Recipe(msgspec.Struct, frozen=True):
    """A glaze."""

    name: str
    ash: int = 40
    clay: int = 30


ASH = Recipe("ash")


class Shelf:
    """Recipes as they are saved, one of them in hand, and the steps that can be taken back."""

    def __init__(self) -> None:
        self.stored = {"ash": ASH, "tin": Recipe("tin")}
        self.steps: list[LocalStep] = []
        self.hand = DraftInHand(DraftBook(DraftFile(), "recipes", Recipe), self, self.pick)

    def add_local(self, step: LocalStep) -> None:
        """Take a step."""
        self.steps.append(step)

    def pick(self, key: str) -> None:
        """Take a recipe in hand."""
        self.hand.take(key, self.stored.get(key))

    def type(self, **values: int) -> None:
        """Change the recipe in hand."""
        assert self.hand.draft is not None
        changed = msgspec.structs.replace(self.hand.draft, **values)
        self.hand.alter(changed, "typed", tuple(values), self.hand.hold)

    def undo(self) -> None:
        """Take the last step back."""
        self.steps.pop().undo()


@pytest.fixture
def shelf() -> Shelf:
    made = Shelf()
    made.pick("ash")
    return made


def test_what_was_typed_is_there_again(shelf: Shelf) -> None:
    shelf.type(ash=50)
    shelf.pick("tin")
    assert not shelf.hand.is_altered
    shelf.pick("ash")
    assert shelf.hand.draft == Recipe("ash", ash=50)
    assert shelf.hand.saved == ASH


def test_a_step_is_taken_back_with_its_recipe_in_hand(shelf: Shelf) -> None:
    shelf.type(ash=50)
    shelf.type(clay=10)
    shelf.pick("tin")
    shelf.undo()
    assert (shelf.hand.key, shelf.hand.draft) == ("ash", Recipe("ash", ash=50))
    shelf.undo()
    assert not shelf.hand.is_altered
    assert shelf.hand.book.get("ash") is None


def test_what_was_typed_back_while_it_was_saved_is_a_draft(shelf: Shelf) -> None:
    """Sent with 50 and typed back to 40 before the answer: what is saved says 50, the person 40."""
    shelf.type(ash=50)
    sent = shelf.hand.draft
    assert sent is not None
    shelf.type(ash=40)
    shelf.hand.took("ash", sent, sent, "ash")
    assert (shelf.hand.draft, shelf.hand.saved) == (ASH, Recipe("ash", ash=50))
    assert shelf.hand.is_altered


def test_saved_as_it_stood_leaves_what_was_typed(shelf: Shelf) -> None:
    """A switch saves the recipe as it stood with one thing changed; what was typed stays."""
    shelf.type(ash=50)
    switched = Recipe("ash", clay=0)
    shelf.hand.took("ash", ASH, switched, "ash")
    assert shelf.hand.draft == Recipe("ash", ash=50, clay=0)
    assert shelf.hand.saved == switched


def test_the_same_when_something_else_is_in_hand_by_then(shelf: Shelf) -> None:
    shelf.type(ash=50)
    shelf.pick("tin")
    shelf.hand.took("ash", ASH, Recipe("ash", clay=0), "ash")
    assert (shelf.hand.key, shelf.hand.draft) == ("tin", Recipe("tin"))
    shelf.stored["ash"] = Recipe("ash", clay=0)
    shelf.pick("ash")
    assert shelf.hand.draft == Recipe("ash", ash=50, clay=0)


def test_a_new_one_gets_its_key_when_it_is_saved(shelf: Shelf) -> None:
    shelf.hand.begin(Recipe("moss"))
    key = shelf.hand.key
    assert shelf.hand.book.new_keys == [key]
    shelf.hand.took(key, Recipe("moss"), Recipe("moss"), "moss")
    assert (shelf.hand.key, shelf.hand.is_altered) == ("moss", False)
    assert shelf.hand.book.new_keys == []


def test_what_somebody_else_saved_is_followed_and_said(shelf: Shelf) -> None:
    shelf.hand.follow(Recipe("ash", clay=20))
    assert (shelf.hand.draft, shelf.hand.notice) == (Recipe("ash", clay=20), "")
    shelf.type(ash=50)
    shelf.hand.follow(Recipe("ash", ash=45, clay=25))
    assert shelf.hand.draft == Recipe("ash", ash=50, clay=25)
    assert shelf.hand.saved == Recipe("ash", ash=45, clay=25)
    assert shelf.hand.notice == "Changed by somebody else meanwhile: ash: 40 → 45; clay: 20 → 25."


def test_what_somebody_else_deleted(shelf: Shelf) -> None:
    """Untouched it is gone; what was typed of it is a new one, to be saved again."""
    shelf.type(ash=50)
    shelf.hand.follow(None)
    assert shelf.hand.key in shelf.hand.book.new_keys
    assert (shelf.hand.draft, shelf.hand.saved) == (Recipe("ash", ash=50), None)
    assert shelf.hand.notice.startswith("Deleted by somebody else")
    shelf.pick("tin")
    shelf.hand.follow(None)
    assert (shelf.hand.key, shelf.hand.draft) == ("", None)


def test_discarded_and_brought_back(shelf: Shelf) -> None:
    shelf.type(ash=50)
    shelf.hand.discard()
    assert (shelf.hand.draft, shelf.steps[-1].words) == (ASH, "changes of ash discarded")
    shelf.pick("tin")
    shelf.undo()
    assert (shelf.hand.key, shelf.hand.draft) == ("ash", Recipe("ash", ash=50))


def test_steps_of_two_lists_are_never_one() -> None:
    """A new recipe and a new one of another list may be called the same in their books."""
    one, other = Shelf(), Shelf()
    for shelf in (one, other):
        shelf.hand.begin(Recipe("moss"))
        shelf.type(ash=1)
    assert one.hand.key == other.hand.key
    assert one.steps[0].merge != other.steps[0].merge


def test_a_step_made_before_the_first_save_is_taken_back_after_it(shelf: Shelf) -> None:
    """By then the recipe goes by another key."""
    shelf.hand.begin(Recipe("moss"))
    shelf.type(ash=50)
    typed = Recipe("moss", ash=50)
    shelf.stored["moss"] = typed
    shelf.hand.took(shelf.hand.key, typed, typed, "moss")
    shelf.pick("tin")
    shelf.undo()
    assert (shelf.hand.key, shelf.hand.draft) == ("moss", Recipe("moss"))
    assert shelf.hand.saved == typed


def test_a_step_finds_what_was_deleted_and_saved_again(shelf: Shelf) -> None:
    shelf.type(ash=50)
    shelf.type(clay=10)
    shelf.hand.follow(None)
    shelf.undo()
    assert shelf.hand.draft == Recipe("ash", ash=50)
    shelf.stored["ash"] = Recipe("ash", ash=50)
    shelf.hand.took(shelf.hand.key, shelf.stored["ash"], shelf.stored["ash"], "ash")
    shelf.pick("tin")
    shelf.undo()
    # What the step put back was as in the store then, so it is as in the store now.
    assert (shelf.hand.key, shelf.hand.draft) == ("ash", shelf.hand.saved)


def test_a_new_one_never_gets_the_key_of_an_earlier_one(shelf: Shelf) -> None:
    """What was discarded comes back beside what was begun since, and not in its place."""
    shelf.hand.begin(Recipe("moss"))
    shelf.hand.discard()
    shelf.hand.begin(Recipe("lichen"))
    shelf.undo()
    assert shelf.hand.draft == Recipe("moss")
    drafts = [shelf.hand.book.get(key) for key in shelf.hand.book.new_keys]
    assert [one.value.name for one in drafts if one is not None] == ["lichen", "moss"]
