"""The wall of ``walls``, as several files use it."""

import pytest

from hushcore.hold.record import Hold
from tests.hushcore.walls import Wall, held_truly


@pytest.fixture(scope="module")
def held() -> Hold:
    """As the wall moves."""
    return held_truly()


@pytest.fixture(scope="module")
def scratched(texture) -> Wall:
    """With a scratch on it."""
    return Wall(texture, scratched=True)


@pytest.fixture(scope="module")
def passed(texture) -> Wall:
    """With somebody who walks past."""
    return Wall(texture, somebody=True)
