from playwright.sync_api import Locator, Page, expect


class TryPage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.candidates = page.get_by_label("Where it can go").get_by_role("link")

    def open(self) -> None:
        self.page.get_by_role("link", name="Scenarios").click()
        expect(self.page.get_by_role("heading", name="Try a workload")).to_be_visible()

    def ask(self, **fields: str) -> None:
        for label, text in fields.items():
            self.page.get_by_label(label.replace("_", " ")).fill(text)

    def want_class(self, name: str) -> None:
        self.page.get_by_role("radio", name=name, exact=True).check(force=True)

    def candidate(self, name: str) -> Locator:
        return self.candidates.filter(has_text=name)
