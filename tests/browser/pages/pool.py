from playwright.sync_api import Locator, Page, expect


class PoolPage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.chart = page.get_by_role("img", name=" now")
        self.margin = page.get_by_role("complementary", name="Working")

    def expect_open(self, name: str) -> None:
        expect(self.page.get_by_role("heading", name=name)).to_be_visible()
        expect(self.chart.locator("svg")).to_be_visible()

    def figure(self, name: str) -> Locator:
        return self.page.get_by_role("group", name="Figures").get_by_role("button", name=name)

    def look_at(self, window: str) -> None:
        self.page.get_by_role("radiogroup", name="Window").get_by_role(
            "radio", name=window, exact=True
        ).check(force=True)

    def exact_used_bytes(self) -> int:
        title = self.figure("used").get_attribute("title") or ""
        return int("".join(c for c in title if c.isdigit()))

    def grow(self, times: str) -> None:
        self.page.get_by_role("radiogroup", name="Growth").get_by_role(
            "radio", name=times, exact=True
        ).check(force=True)

    def ends_first(self) -> Locator:
        return self.page.get_by_role("list", name="What ends first").get_by_role("listitem")

    def open_marks(self) -> None:
        self.margin.get_by_text("Marks", exact=True).click()

    def set_marks_of(self, level: str) -> None:
        self.margin.get_by_label("Whose marks to set").select_option(label=level)

    def keep_mark(self, mark: str, told: str) -> None:
        self.margin.get_by_label(mark, exact=True).fill(told)
        self.margin.get_by_role("button", name="keep the marks").click()
