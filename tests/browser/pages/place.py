from playwright.sync_api import Locator, Page, expect


class WherePage:
    """Where new work goes."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.table = page.get_by_role("table", name="Candidates")
        self.candidates = self.table.get_by_role("row").filter(has=page.get_by_role("rowheader"))

    def open(self) -> None:
        self.page.goto("/try")
        expect(self.page.get_by_role("heading", name="Where new work goes")).to_be_visible()

    def ask(self, **fields: str) -> None:
        for label, text in fields.items():
            self.page.get_by_label(label.replace("_", " ")).fill(text)

    def size(self, text: str) -> None:
        self.page.get_by_label("disk 1, size").fill(text)

    def want_class(self, name: str) -> None:
        self.page.get_by_label("Service class").select_option(label=name)

    def candidate(self, name: str) -> Locator:
        return self.candidates.filter(has_text=name)
