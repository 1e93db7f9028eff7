"""What several threads of the web server ask for at once."""

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connection
from jobs.shelf import Shelf
from laying import turns


def test_what_one_thread_makes_another_waits_for():
    """What is costly is made once, however many ask for it; one that fails is made again by the next."""
    shelf, made, begun, go = Shelf(lambda _: 1), [], threading.Event(), threading.Event()

    def slow() -> str:
        made.append(1)
        begun.set()
        assert go.wait(5)
        return "picture"

    with ThreadPoolExecutor(4) as pool:
        asked = [pool.submit(shelf.once, "a", slow) for _ in range(4)]
        assert begun.wait(5)
        assert shelf.once("b", lambda: "another") == "another"  # what is something else does not wait
        go.set()
        assert [one.result() for one in asked] == ["picture"] * 4
    assert len(made) == 1
    with pytest.raises(ZeroDivisionError):
        shelf.once("c", lambda: 1 // 0)
    assert shelf.once("c", lambda: 3) == 3
    assert not shelf.making


@pytest.mark.django_db(transaction=True)
def test_who_only_looks_takes_turns_and_gives_the_database_back_meanwhile(monkeypatch):
    monkeypatch.setattr(turns, "_looks", threading.BoundedSemaphore(1))
    seen: list[tuple[str, bool]] = []

    def look(name: str) -> None:
        connection.ensure_connection()
        with turns.turn():
            seen.append((name, connection.connection is not None))
        connection.close()

    connection.ensure_connection()
    with turns.turn():
        seen.append(("first", connection.connection is not None))
        other = threading.Thread(target=look, args=("second",))
        other.start()
        other.join(0.3)
        assert seen == [("first", True)]
    other.join(5)
    assert seen == [("first", True), ("second", False)]
