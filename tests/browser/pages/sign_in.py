from playwright.sync_api import Page, expect

FIRST_MS = 60_000  # after a start all is read for the first time, beside the first forecasts


class SignInPage:
    def __init__(self, page: Page) -> None:
        self.page = page

    def try_to_sign_in(self, name: str, password: str) -> None:
        self.page.goto("/")
        self.page.get_by_label("Name").fill(name)
        self.page.get_by_label("Password").fill(password)
        self.page.get_by_role("button", name="Sign in").click()

    def sign_in(self, name: str, password: str) -> None:
        self.try_to_sign_in(name, password)
        self._is_in(timeout=FIRST_MS)

    def come_back(self) -> None:
        """Open the page with a session that is kept."""
        self.page.goto("/")
        self._is_in()

    def _is_in(self, *, timeout: float | None = None) -> None:
        first = self.page.get_by_role("heading", name="What ends first")
        expect(first).to_be_visible(timeout=timeout)
