"""Each worked example comes out as it says, and whatever is no scenario is told in one line."""

import json
from pathlib import Path

import pytest
from django.core.management import call_command

from northing.inventory.queries import stock_faults
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from northing.scenarios import files
from northing.scenarios.expect import differences
from northing.scenarios.play import Player
from northing.scenarios.result import result

REAL_CLOCK = True
EXAMPLES = sorted((Path(__file__).resolve().parents[2] / "docs" / "scenarios").glob("*.json"))
SMALL = {
    "world": {
        "companies": [{"code": "KLN", "currency": "NZD", "country": "NZ"}],
        "sites": [{"code": "TRG", "company": "KLN", "bins": {"A": "store"}}],
        "items": [{"code": "KET"}],
    },
    "actions": [
        {
            "do": "open",
            "day": "2026-01-31",
            "stock": [{"item": "KET", "site": "TRG", "quantity": "3", "value": "10.00"}],
        },
        {"do": "issue", "day": "2026-02-01", "id": "I1", "site": "TRG", "item": "KET", "quantity": "1", "for": "shops"},
    ],
}


@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_the_example_comes_out_as_it_says(nothing_yet, path):
    scenario = files.read(path.read_bytes())
    player = Player(scenario)
    found = {"actions": player.play()} | result(player)
    assert list(differences(scenario.expect, found)) == []
    assert position_faults() + book_faults() + stock_faults() == []


def test_a_file_leaves_the_database_as_it_was(nothing_yet):
    content = json.dumps(SMALL).encode()
    first, second = files.play(content), files.play(content)
    assert first == second and first[0]["accounts"]["KLN"] == {
        "stock": "6.67",
        "stock_issues": "3.33",
        "opening": "-10.00",
    }


@pytest.mark.parametrize("name", ["worked-case", "refused", "bill-reversed"])
def test_a_file_says_the_same_in_a_database_that_was_used(nothing_yet, name):
    content = next(path for path in EXAMPLES if path.stem == name).read_bytes()
    first, second = (json.dumps(files.play(content)[0]) for _ in range(2))
    assert first == second


def changed(**more):
    return SMALL | more


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("{", "file: no JSON"),
        ("[]", "file: Input should be"),
        (json.dumps({"world": SMALL["world"]}), "actions: Field required"),
        (json.dumps(changed(actions=[{"do": "fly", "day": "2026-01-01"}])), "actions.0: Input tag 'fly'"),
        (json.dumps(changed(actions=[{"do": "issue", "day": "soon"}])), "actions.0.issue.day: "),
        (json.dumps(changed(extra=1)), "extra: Extra inputs"),
        (
            json.dumps(changed(actions=[SMALL["actions"][0], {**SMALL["actions"][1], "site": "NOWHERE"}])),
            "world.sites: there is no 'NOWHERE'",
        ),
        (json.dumps(changed(actions=[*SMALL["actions"], SMALL["actions"][1]])), "the id 'I1' is there twice"),
    ],
)
def test_what_is_no_scenario_is_said_in_one_line(nothing_yet, tmp_path, capsys, content, words):
    file = tmp_path / "s.json"
    file.write_text(content)
    with pytest.raises(SystemExit) as ended:
        call_command("play", str(file))
    said = capsys.readouterr()
    assert (ended.value.code, said.out) == (2, "")
    assert said.err.count("\n") == 1 and words in said.err and "Traceback" not in said.err


def test_what_is_not_as_expected_is_said_and_what_is_refused_stands_in_place(nothing_yet, tmp_path, capsys):
    wrong = {**SMALL["actions"][1], "quantity": "9", "id": "I2"}
    expect = {"accounts": {"KLN": {"stock": "6.00"}}}
    (tmp_path / "s.json").write_text(json.dumps(changed(actions=[*SMALL["actions"], wrong], expect=expect)))
    with pytest.raises(SystemExit) as ended:
        call_command("play", str(tmp_path / "s.json"))
    said = capsys.readouterr()
    assert ended.value.code == 1 and "accounts.KLN.stock: expected 6.00, got 6.67" in said.err
    refused = json.loads(said.out)["actions"][2]
    assert refused["do"] == "issue" and "Only 2 pc of KET are in store" in refused["refused"][0]["what"]


@pytest.mark.parametrize("left", [False, True])
def test_an_opening_of_several_rows_is_reversed_whole(nothing_yet, left):
    """Or not at all, where goods of one of them have left: 8.00 are 4 of 5 that cost 10.00."""
    rows = [{"item": "KET", "site": "TRG", "quantity": units, "value": "10.00"} for units in ("3", "5")]
    actions = [
        {"do": "open", "day": "2026-01-31", "id": "O1", "stock": rows},
        {"do": "issue", "day": "2026-02-01", "site": "TRG", "item": "KET", "quantity": "4", "for": "shops"},
        {"do": "reverse", "day": "2026-02-02", "what": "O1"},
    ]
    player = Player(files.read(json.dumps(SMALL | {"actions": actions if left else actions[::2]}).encode()))
    refused = [one["do"] for one in player.play() if "refused" in one]
    stock = result(player)["accounts"].get("KLN", {}).get("stock")
    assert (refused, stock) == ((["reverse"], "8.00") if left else ([], None))
