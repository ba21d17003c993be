"""Every promise that was planted to be broken is found by name, and no other."""

from datetime import date
from typing import Any

from playwright.sync_api import Page

from standins.breaches import broken
from standins.estate import make_estate
from standins.records import copied_volumes
from tests.browser.conftest import Stack

API = "/api/v1/compliance/verdicts"


def found(page: Page, state: str, kind: str = "vm") -> list[dict[str, Any]]:  # Any: JSON
    answer = page.request.get(f"{API}/{kind}?state={state}")
    assert answer.ok, answer.text()
    told = answer.json()
    assert told["n_all"] == len(told["results"])
    results: list[dict[str, Any]] = told["results"]
    return results


def test_what_was_planted_is_broken_and_nothing_else(signed_in: Page, stack: Stack):
    anchor_on = date.fromisoformat(stack.state["demo_anchor"])
    estate = make_estate(size="demo", anchor_on=anchor_on)
    planted = broken(estate, copied=copied_volumes(estate))
    told = {
        one["name"]: {rule["kind"] for rule in one["rules"] if rule["state"] == "broken"}
        for one in found(signed_in, "broken")
    }
    assert told == planted
    kinds = set().union(*planted.values())
    assert kinds == {"copy", "backup", "snapshots", "sites", "apart", "protocol", "survives"}
    for kind in ("disk", "volume", "datastore"):
        assert found(signed_in, "broken", kind) == []
