"""Logs by structlog: lines for people on the console, JSON for the file of requests; no token of a link in either."""

import re

import environ
import structlog

env = environ.Env()
TOKEN = re.compile(r"/(link|calendar)/([A-Za-z0-9_-]{4})[A-Za-z0-9_-]+")


def masked(text: str) -> str:
    """The text with only the first characters of each token.

    >>> masked("GET /confirmations/link/abcdEFGH1234-_/confirm/")
    'GET /confirmations/link/abcd…/confirm/'
    """
    return TOKEN.sub(r"/\1/\2…", text)


def mask_line(logger: object, method: str, line: str) -> str:
    """The last step of each line, whatever wrote it."""
    return masked(line)


SHARED = [
    # Who asks, and the id of the request, on every line that is written meanwhile.
    structlog.contextvars.merge_contextvars,
    structlog.stdlib.add_log_level,
    structlog.stdlib.add_logger_name,
    structlog.processors.TimeStamper(fmt="iso", utc=True),
]


def _formatter(*last: structlog.typing.Processor) -> dict[str, object]:
    """A formatter for lines of structlog and of everybody else."""
    return {
        "()": structlog.stdlib.ProcessorFormatter,
        "processors": [structlog.stdlib.ProcessorFormatter.remove_processors_meta, *last, mask_line],
        "foreign_pre_chain": SHARED,
    }


structlog.configure(
    processors=[*SHARED, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
    logger_factory=structlog.stdlib.LoggerFactory(),
    cache_logger_on_first_use=True,
)

# A file for the line of each request; none: they are not written down.
REQUEST_LOG = env("REQUEST_LOG", default="")
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "plain": _formatter(
            structlog.dev.ConsoleRenderer(colors=False, exception_formatter=structlog.dev.plain_traceback)
        ),
        "json": _formatter(structlog.processors.format_exc_info, structlog.processors.JSONRenderer()),
    },
    "handlers": {
        "console": {"class": "logging.StreamHandler", "formatter": "plain"},
        "nowhere": {"class": "logging.NullHandler"},
        "requests": (
            {"class": "logging.handlers.WatchedFileHandler", "filename": REQUEST_LOG, "formatter": "json"}
            if REQUEST_LOG
            else {"class": "logging.NullHandler"}
        ),
    },
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        # Whoever asks by a wrong host is refused; a line with a trace for each would only fill the log.
        "django.security.DisallowedHost": {"handlers": ["nowhere"], "propagate": False},
        "django.request": {"handlers": ["console"], "level": "ERROR", "propagate": False},
        "northing.requests": {"handlers": ["requests"], "level": "INFO", "propagate": False},
    },
}
