from playwright.sync_api import Locator, Page, expect


class ThingPage:
    """Anything that ends: its resources, the soundings of one, who made it grow."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.chart = page.get_by_role("img", name=" now")
        self.margin = page.get_by_role("complementary", name="Working")
        self.berths = page.get_by_role("region", name="Berths")
        self.who_grew = page.get_by_role("region", name="Who made it grow")
        self.ends_first = page.get_by_role("list", name="What ends first").get_by_role("listitem")

    @property
    def shown(self) -> Locator:
        """The line whose soundings are drawn."""
        return self.ends_first.locator("a[aria-current=page]")

    def expect_open(self, name: str) -> None:
        expect(self.page.get_by_role("heading", name=name, exact=True)).to_be_visible()
        expect(self.chart.locator("svg")).to_be_visible()

    def window(self, name: str) -> Locator:
        return self.page.get_by_role("radiogroup", name="Window").get_by_role(
            "radio", name=name, exact=True
        )

    def look_at(self, window: str) -> None:
        self.window(window).check(force=True)
