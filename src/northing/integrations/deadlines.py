"""A whole deadline for a call outside: with a limit of each read alone, an address keeps us for hours, byte by byte."""

import asyncio
import socket
import threading
from collections.abc import Coroutine, Iterator
from contextlib import contextmanager, suppress
from typing import Any, TypeVar

Answer = TypeVar("Answer")


class TooSlow(OSError):
    """The address did not answer whole within its time."""


def within(seconds: float, call: Coroutine[Any, Any, Answer]) -> Answer:
    """Run a call to its end, or stop it after so many seconds. Raises TooSlow."""

    async def timed() -> Answer:
        async with asyncio.timeout(seconds):
            return await call

    try:
        return asyncio.run(timed())
    except TimeoutError as error:
        raise TooSlow(f"it did not answer whole within {seconds:g} seconds") from error


@contextmanager
def cut_off_after(seconds: float, holder: Any) -> Iterator[None]:
    """Shut the socket that `holder.sock` names down after so many seconds: what waits for it fails at once."""

    def cut() -> None:
        sock = getattr(holder, "sock", None)
        if sock is not None:
            with suppress(OSError):  # it is closed already
                sock.shutdown(socket.SHUT_RDWR)

    timer = threading.Timer(seconds, cut)
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        timer.cancel()
