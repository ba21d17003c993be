from playwright.sync_api import Locator, Page, expect


class TodayPage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.sift = page.get_by_label("Narrow", exact=True)
        self.rows = page.get_by_role("region", name="What ends first").locator("[data-row]")

    def open(self, query: str = "") -> None:
        self.page.goto(f"/{query}")
        expect(self.page.get_by_role("heading", name="What ends first")).to_be_visible()

    def else_ends(self) -> Locator:
        return self.page.get_by_role("region", name="What else ends")

    def row(self, name: str) -> Locator:
        return self.rows.filter(has_text=name)

    def narrow_to(self, text: str) -> None:
        self.sift.fill(text)
        self.sift.press("Enter")

    def pick_slice(self, title: str, name: str, *, leave_out: bool = False) -> None:
        button = self.page.get_by_role("button", name=f"{name} ").filter(has_text=name).first
        button.click(modifiers=["Alt"] if leave_out else [])

    def jump_to(self, text: str) -> None:
        self.page.keyboard.press("/")
        self.page.keyboard.type(text)
        expect(self.page.get_by_role("option").first).to_contain_text(text.split(" ")[0])
        self.page.keyboard.press("Enter")
