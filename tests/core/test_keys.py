"""What a stage is looked up by: a word like any other, that carries the types of what it finds."""

import json
import pickle

import pytest

from rhombos.core.blocks import front_end, load
from rhombos.core.frame.keys import Builds, Key, States


def test_a_key_is_a_word_like_any_other():
    key = Key("front_end")
    assert key == front_end.KEY == "front_end"
    assert {"front_end": 1}[key] == {key: 1}["front_end"] == 1
    assert f"{key}.switch" == "front_end.switch"
    assert json.dumps({key: key}) == '{"front_end": "front_end"}'
    again = pickle.loads(pickle.dumps(key))
    assert again == key
    assert type(again) is Key


@pytest.mark.parametrize("kind", [Builds, States])
def test_what_is_added_leaves_what_was_there_as_it_is(kind):
    first = kind({load.KEY: load.LoadBuild()})
    both = first | {"front_end": load.LoadBuild()}
    assert type(both) is kind
    assert set(both) == {"load", "front_end"}
    assert set(first) == {"load"}
    assert both.get(load.KEY) is first[load.KEY]
    assert first.get(front_end.KEY) is None


def test_every_stage_is_found_by_the_key_of_its_block(worked):
    for stage in worked.stages:
        assert isinstance(stage.key, Key), stage.key
        assert isinstance(worked.builds[stage.key], stage.build)
        assert stage.key in worked.now
