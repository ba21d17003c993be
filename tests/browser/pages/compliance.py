from playwright.sync_api import Locator, Page, expect


class CompliancePage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.margin = page.get_by_role("complementary", name="Promise", exact=True)
        self.matrix = page.get_by_role("table", name="Who keeps them")
        self.impact = self.margin.get_by_role("region", name="What it would do")

    def open(self, scope: str = "") -> None:
        self.page.goto(f"/compliance?scope={scope}" if scope else "/compliance")
        expect(self.page.get_by_role("heading", name="All promises")).to_be_visible()

    def policy(self, name: str) -> Locator:
        return self.page.get_by_role("listitem", name=name, exact=True)

    def choose(self, name: str) -> None:
        self.policy(name).get_by_role("link").click()
        expect(self.page.get_by_role("heading", name=name, level=1)).to_be_visible()

    def count(self, name: str, state: str) -> Locator:
        return self.policy(name).get_by_role("button", name=f"{state} of {name}")

    def subject(self, name: str) -> Locator:
        link = self.page.get_by_role("link", name=name, exact=True)
        return self.matrix.get_by_role("row").filter(has=link)

    def look_at(self, row: Locator) -> None:
        """Show a subject in the margin, as a click beside its name does."""
        row.get_by_role("cell").last.click()

    def rule(self, wanted: str) -> Locator:
        return (
            self.margin.get_by_role("list", name="Rules")
            .get_by_role("listitem")
            .filter(has_text=wanted)
        )

    def add_rule(self, about: str) -> None:
        self.margin.get_by_label("Add a rule").select_option(label=about)
