import re
from datetime import date

from playwright.sync_api import Locator, Page, expect


class ScenarioPage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.moves = page.get_by_role("list", name="Moves")
        self.outcome = page.get_by_role("table", name="What it does")
        self.runways = page.get_by_role("list", name="Runways that move")
        self.accepting = page.get_by_role("region", name="Accepting")
        self.held = page.get_by_role("table", name="What is held")

    def draw_up(self, name: str) -> None:
        self.page.goto("/scenarios")
        self.page.get_by_label("A new one, called").fill(name)
        self.page.get_by_role("button", name="draw it up").click()
        self.expect_open(name)

    def expect_open(self, name: str) -> None:
        expect(self.page.get_by_role("heading", name=name, level=1)).to_be_visible()

    def begin(self, move: str) -> Locator:
        """Choose a kind of move; return its form."""
        self.page.get_by_role("button", name="add a move").click()
        self.page.get_by_role("region", name="Add a move").get_by_role(
            "button", name=move, exact=True
        ).click()
        return self.page.get_by_role("form", name=move)

    def pick(self, form: Locator, field: str, text: str) -> None:
        """Name a thing by a part of its name."""
        form.get_by_role("combobox", name=field, exact=True).fill(text)
        found = form.get_by_role("listbox", name=f"{field}, found")
        found.get_by_role("option").first.click()

    def on_day(self, form: Locator, on: date) -> None:
        form.locator("input[type=date]").fill(on.isoformat())

    def put_in(self, form: Locator) -> None:
        form.get_by_role("button", name="put it in").click()
        expect(form).to_have_count(0)

    def move(self, title: str) -> Locator:
        return self.moves.get_by_role("listitem").filter(has_text=title)

    def more(self, title: str, action: str) -> None:
        self.move(title).get_by_role("button", name=re.compile("^more of")).click()
        self.move(title).get_by_role("button", name=action, exact=True).click()

    def accept(self) -> None:
        self.accepting.get_by_role("button", name="accept, hold the space").click()
        self.accepting.get_by_role("button", name="accept it").click()

    def line(self, name: str) -> Locator:
        return self.outcome.get_by_role("row").filter(
            has=self.page.get_by_role("rowheader", name=name)
        )

    def runway(self, name: str) -> Locator:
        return self.runways.get_by_role("listitem").filter(has_text=name)


class OrderPage:
    def __init__(self, page: Page) -> None:
        self.page = page
        self.region = page.get_by_role("region", name="Carried out from here")
        self.status = self.region.get_by_role("status")

    def step(self, at: int) -> Locator:
        """One step, counted from 1."""
        return self.page.get_by_role("table", name="Steps").get_by_role("row").nth(at)

    def carry_out(self) -> None:
        self.region.get_by_role("button", name="carry it out").click()
        expect(self.region.get_by_role("button", name="halt")).to_be_visible()
