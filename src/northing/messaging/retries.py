"""When the worker tries again what the world outside did not take: procrastinate's retries, with growing pauses."""

from collections.abc import Sequence
from dataclasses import dataclass

from procrastinate import BaseRetryStrategy, RetryDecision
from procrastinate.jobs import Job


@dataclass(frozen=True)
class Pauses(BaseRetryStrategy):
    """Seconds to wait after the first, second, ... try that failed, for whatever reason; after the last it is over."""

    seconds: Sequence[int]

    def get_retry_decision(self, *, exception: BaseException, job: Job) -> RetryDecision | None:
        """The pause after the tries that were made; None when it is over."""
        if job.attempts >= len(self.seconds):
            return None
        return RetryDecision(retry_in={"seconds": self.seconds[job.attempts]})
