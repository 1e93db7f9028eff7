"""The engine's one family of errors: every message says what an artist can do about it."""


class HushError(Exception):
    """Something the artist can put right; ``message`` is shown to them as it is.

    ``kind`` is a short stable word for programs (``missing-frame``, ``bad-ground``, ...).
    """

    def __init__(self, message: str, kind: str = "problem") -> None:
        super().__init__(message)
        self.message = message
        self.kind = kind
