from playwright.sync_api import Locator, Page, expect


class AllotmentsPage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.margin = page.get_by_role("complementary", name="One allotment")
        self.making = self.margin.get_by_role("form", name="Make a datastore")

    def open(self) -> None:
        self.page.goto("/allotments")
        expect(self.page.get_by_role("heading", name="Allotments", level=1)).to_be_visible()

    def of(self, tenant: str, pool: str) -> Locator:
        """One allotment in the list."""
        table = self.page.get_by_role("table", name=f"Allotments of {tenant}")
        return table.get_by_role("row").filter(
            has=self.page.get_by_role("rowheader").filter(has_text=pool)
        )

    def choose(self, tenant: str, pool: str) -> None:
        self.of(tenant, pool).get_by_role("link").click()
        expect(self.margin.get_by_role("heading", level=2)).to_contain_text(tenant)

    def make(self, name: str, size: str) -> None:
        self.making.get_by_label("Name").fill(name)
        self.making.get_by_label("Size").fill(size)
        self.making.get_by_role("button", name="make it").click()

    def drawn(self, name: str) -> Locator:
        return self.margin.get_by_role("group").filter(has_text=name)

    def give_back(self, name: str, *, volume: str) -> None:
        self.drawn(name).get_by_role("button", name="give it back").click()
        dialog = self.page.get_by_role("dialog")
        expect(dialog.get_by_role("button", name="delete it")).to_be_disabled()
        dialog.get_by_label("Type its name").fill(volume)
        dialog.get_by_role("button", name="delete it").click()
