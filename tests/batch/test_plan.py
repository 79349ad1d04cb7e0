"""Plans of batches: what they name, and where they are wrong."""

import pytest

from pampa.batch.run import named
from pampa.core.errors import PampaError

GOOD = """out = "made"

[[work]]
files = ["in"]
do = ["deliver", "measure"]
format = "flac"
"""


def test_folders_are_read_deeply_steps_are_put_in_order_and_names_stay_apart(planned, files):
    plan = planned(GOOD + '\n[[work]]\nfiles = ["in/*.wav"]\ndo = ["level"]\n')
    assert plan.work[0].steps == ("measure", "deliver")
    assert [each.name for each in named(plan)] == ["in/a", "in/b", "in/broken", "in/deep/c", "in/a-2", "in/b-2"]
    assert plan.out == files / "made"


def test_what_was_made_is_not_taken_in_again(planned, files):
    (files / "made").mkdir()
    (files / "made" / "a.wav").write_bytes((files / "in" / "a.wav").read_bytes())
    assert len(named(planned(GOOD.replace('"in"', '"."')))) == 4


def test_a_recipe_goes_along_with_the_plan(planned):
    plan = planned(GOOD.replace('"deliver"', '"voice"') + 'recipe = "sharp"\nfitted = true\n')
    assert plan.work[0].settings["recipe"] == "sharp"


@pytest.mark.parametrize(
    ("text", "line", "told"),
    [
        ("out = made", 1, "Invalid value"),
        ('out = "x"\n', 1, "there must be a [[work]]"),
        ('shared = "x"\n[[work]]\nfiles = ["in"]\ndo = ["measure"]\n', 1, "must say where the files go"),
        ('out = "x"\nspeed = 3\n' + GOOD.partition("\n")[2], 2, "speed is not known here"),
        (GOOD + "colour = 1\n", 7, "colour is not known here"),
        (GOOD.replace("measure", "polish"), 5, "polish is not something to do"),
        (GOOD.replace('"in"', '"nowhere/*.wav"'), 4, "names nothing that is there"),
        (GOOD + "target = -3\n", 7, "target is a number from -40 to -5"),
        (GOOD + "target = true\n", 7, "target is a number"),
        (GOOD.replace("flac", "vinyl"), 6, "format is one of"),
        (GOOD + "clean = { shine = 50 }\n", 7, "clean holds amounts of Mend"),
        (GOOD + "clean = { noise = 500 }\n", 7, "noise goes from 0 to 100"),
        (GOOD + 'recipe = "nobody.json"\n', 7, "nobody.json could not be read"),
        (GOOD + 'recipe = "in/notes.txt"\n', 7, "in/notes.txt"),
        (GOOD + '\n[[work]]\nepisodes = ["in"]\ndo = ["level"]\n', 10, "raw episodes can only be made"),
        (GOOD + '\n[[work]]\ndo = ["level"]\n', 8, "either files or episodes"),
        (GOOD.replace('["in"]', '"in"'), 4, "files is a list"),
    ],
)
def test_a_mistake_is_told_with_its_line(planned, text, line, told):
    with pytest.raises(PampaError) as refused:
        planned(text)
    assert told in str(refused.value)
    assert f"line {line}" in str(refused.value)
    assert str(refused.value).endswith("Nothing was made.")


def test_a_plan_that_is_not_there_is_told(tmp_path, planned):
    from pampa.batch.plan import read_plan

    with pytest.raises(PampaError, match="could not be read"):
        read_plan(tmp_path / "none.toml")
