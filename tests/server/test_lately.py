"""What is kept by a key that may move while it is read."""

from keelmark.bearings.selectors.picture import Lately


def test_what_moves_while_it_is_read_is_read_again() -> None:
    state, reads = ["nobody"], list[str]()
    kept: Lately[str, str] = Lately(4)

    def read(_: str) -> str:
        if not reads:
            state.append("a VM")  # somebody promises in the midst of it
        reads.append(state[-1])
        return state[-1]

    def now() -> str:
        return state[-1]

    assert kept.made(now, read) == "a VM"
    assert kept.made(now, read) == "a VM"
    assert reads == ["a VM", "a VM"]
    state.append("nobody")  # and takes it back
    assert kept.made(now, read) == "nobody"


def test_what_never_rests_is_told_and_not_kept() -> None:
    n = [0]
    kept: Lately[int, int] = Lately(4)

    def read(_: int) -> int:
        n[0] += 1
        return n[0]

    assert kept.made(lambda: n[0], read) == 3
    assert kept.get(2) is None
    assert kept.get(3) is None
