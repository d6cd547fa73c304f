"""How the demo's stand-ins run: until they are told to stop."""

import signal
from collections.abc import Callable


def until_stopped(*ends: Callable[[], object]) -> None:
    """Wait for Ctrl-C or SIGTERM; then call `ends`."""
    signal.signal(signal.SIGTERM, lambda *_: signal.raise_signal(signal.SIGINT))
    try:
        signal.pause()
    except KeyboardInterrupt:
        pass
    finally:
        for end in ends:
            end()
