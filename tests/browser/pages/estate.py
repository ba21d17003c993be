from playwright.sync_api import Locator, Page, expect


class EstatePage:
    """The estate at a bearing: strata, lists, areas, the coast, who holds and grows most."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.sift = page.get_by_role("combobox", name="Narrow")
        self.margin = page.get_by_role("complementary", name="What is chosen")
        self.tide = page.get_by_role("slider", name="Day looked at")
        self.table = page.get_by_role("table").first
        self.rows = self.table.get_by_role("row")
        self.foot = page.get_by_role("table", name=", added up").get_by_role("row")

    def open(self, query: str = "") -> None:
        self.page.goto(f"/estate{query}")
        self.settle()

    def settle(self) -> None:
        main = self.page.get_by_role("main")
        expect(main.get_by_role("heading", level=1)).to_have_count(1)
        expect(main.locator("[aria-busy=true]")).to_have_count(0)

    def draw_as(self, view: str) -> None:
        self.page.get_by_role("radiogroup", name="Drawn as").get_by_role(
            "radio", name=view, exact=True
        ).check(force=True)
        self.settle()

    def layer(self, kind: str) -> Locator:
        return self.page.get_by_role("listbox", name=f"{kind},")

    def member(self, kind: str, name: str) -> Locator:
        return self.layer(kind).get_by_role("option", name=f"{name},")

    def names(self) -> list[str]:
        """The names in the list as it stands."""
        self.settle()
        expect(self.table).to_have_attribute("aria-busy", "false")
        return self.table.get_by_role("link").all_inner_texts()

    def narrow_to(self, text: str) -> None:
        self.sift.fill(text)
        self.sift.press("Enter")
        self.settle()

    def sort_by(self, column: str, *, beside: bool = False) -> None:
        head = self.page.get_by_role("columnheader", name=column).get_by_role("button").first
        head.click(modifiers=["Shift"] if beside else [])
        self.settle()

    def look_at(self, day: str) -> None:
        self.page.get_by_role("button", name="at ").first.click()
        self.page.get_by_label("Look at the day").fill(day)
        self.page.keyboard.press("Escape")
        self.settle()
