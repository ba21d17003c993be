import re

import httpx
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import Stack
from tests.browser.pages.people import PeoplePage
from tests.browser.pages.sign_in import SignInPage


def test_a_tenant_viewer_is_made_sees_their_own_and_is_put_out_of_service(
    page: Page, refusals: None, browser: Browser, stack: Stack
):
    SignInPage(page).sign_in("keeper", "spring-tide")
    people = PeoplePage(page)
    people.open()
    people.add("pilot", password="x", role="tenant viewer")
    expect(people.margin.get_by_role("alert")).to_contain_text("too short")
    people.margin.get_by_label("Password").fill("slack-water")
    people.margin.get_by_label("Tide Gauges").check()
    people.margin.get_by_role("button", name="add", exact=True).click()
    expect(people.person("pilot")).to_contain_text("reads what Tide Gauges consume")
    expect(people.log).to_contain_text("add person pilot")
    expect(people.log).to_contain_text("tenants Tide Gauges")
    expect(people.log).not_to_contain_text("slack-water")

    theirs = browser.new_context(base_url=stack.url).new_page()
    SignInPage(theirs).try_to_sign_in("pilot", "slack-water")
    expect(theirs.get_by_role("heading", name="Choose your own password")).to_be_visible()
    theirs.get_by_label("Password of now").fill("slack-water")
    theirs.get_by_label(re.compile("^New password")).fill("spring-and-neap")
    theirs.get_by_label("The new one once more").fill("spring-and-neap")
    theirs.get_by_role("button", name="change it").click()
    expect(theirs.get_by_role("heading", name="Tide Gauges", exact=True)).to_be_visible()
    holds = theirs.get_by_role("region", name="What it holds, and where")
    expect(holds).to_contain_text("Tide Gauges: gauges")
    expect(holds.get_by_role("radio", name="arrays")).to_have_count(0)  # places are not theirs
    expect(theirs.get_by_role("region", name="Quotas", exact=True)).to_contain_text(
        "Tide Gauges: alerts"
    )
    expect(theirs.get_by_role("link", name="Feeds", exact=True)).to_have_count(0)

    people.margin.get_by_role("button", name="take out of service").click()
    expect(people.person("pilot")).to_contain_text("out of service")
    theirs.reload()
    expect(theirs.get_by_role("button", name="Sign in")).to_be_visible()
    theirs.context.close()


def test_a_token_is_shown_once_reads_and_is_revoked(signed_in: Page, stack: Stack):
    people = PeoplePage(signed_in)
    people.open_tokens()
    margin = signed_in.get_by_role("complementary", name="A new token")
    margin.get_by_label("What for").fill("morning report")
    margin.get_by_role("button", name="make it").click()
    secret = margin.get_by_role("status").get_by_text("keel_").inner_text()
    headers = {"Authorization": f"Bearer {secret}"}

    def status() -> int:
        return httpx.get(f"{stack.url}/api/v1/pools", headers=headers, trust_env=False).status_code

    assert status() == 200
    revoke = signed_in.get_by_role("button", name="revoke morning report")
    revoke.click()
    expect(revoke).to_have_text("for good?")
    revoke.click()
    expect(signed_in.get_by_text("None yet.")).to_be_visible()
    assert status() == 401
