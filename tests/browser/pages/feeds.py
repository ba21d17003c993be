from playwright.sync_api import Locator, Page, expect


class FeedsPage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.runs = page.get_by_role("table").get_by_role("row")

    def open(self) -> None:
        self.page.goto("/feeds")
        expect(self.page.get_by_role("heading", name="Runs")).to_be_visible()

    def feed(self, name: str) -> Locator:
        return self.page.get_by_role("group", name=f"feed {name}")

    def choose(self, name: str) -> None:
        self.feed(name).get_by_role("button", name=name, exact=True).click()

    def collect_now_and_wait(self, name: str) -> None:
        """Of a feed that was chosen, so that the runs shown are its own."""
        with self.page.expect_response("**/collect") as asked:
            self.collect_now(name)
        run = self.page.locator(f"[data-run='{asked.value.json()['id']}']")
        expect(run).to_contain_text("done", timeout=60_000)

    def collect_now(self, name: str) -> None:
        self.feed(name).get_by_role("button", name=f"collect {name} now").click()

    def wait_until_collected(self, name: str) -> None:
        button = self.collecting(name)
        expect(button).to_be_enabled(timeout=120_000)

    def collecting(self, name: str) -> Locator:
        return self.feed(name).get_by_role("button", name=f"collect {name} now")

    def look_at(self, side: str) -> None:
        """Turn to another side of feeds: who tells, what was found, send a table."""
        self.page.get_by_role("navigation", name="Sides of feeds").get_by_role(
            "link", name=side
        ).click()

    def newest_run(self) -> Locator:
        return self.runs.nth(1)
