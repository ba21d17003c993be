from playwright.sync_api import Locator, Page, expect


class PeoplePage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.margin = page.get_by_role("complementary", name="Person")
        self.log = page.get_by_role("region", name="Log")

    def open(self) -> None:
        self._from_menu("people and the log")
        expect(self.page.get_by_role("heading", name="Who may what")).to_be_visible()

    def open_tokens(self) -> None:
        self._from_menu("your tokens")
        expect(self.page.get_by_role("heading", name="Your tokens")).to_be_visible()

    def _from_menu(self, entry: str) -> None:
        self.page.get_by_role("button", name="preferences").click()
        self.page.get_by_role("link", name=entry).click()

    def person(self, name: str) -> Locator:
        link = self.page.get_by_role("link", name=name, exact=True)
        return self.page.get_by_role("table", name="People").get_by_role("row").filter(has=link)

    def add(self, name: str, *, password: str, role: str) -> None:
        self.page.get_by_role("button", name="add a person").click()
        self.margin.get_by_label("Name", exact=True).fill(name)
        self.margin.get_by_label("role").select_option(role)
        self.margin.get_by_label("Password").fill(password)
        self.margin.get_by_role("button", name="add", exact=True).click()
