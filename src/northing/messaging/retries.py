"""When the worker tries again what the world outside did not take: procrastinate's retries, with growing pauses."""

from collections.abc import Sequence
from dataclasses import dataclass

from procrastinate import BaseRetryStrategy, RetryDecision
from procrastinate.jobs import Job


@dataclass(frozen=True)
class Pauses(BaseRetryStrategy):
    """Seconds to wait after the first, second, ... try that raised; then the last of them again and again.

    The task itself counts what was refused and ends without raising when it is over; tries that failed for another
    reason, such as a database that was away, are not taken from those. After twice as many tries it is over anyway.
    """

    seconds: Sequence[int]

    def get_retry_decision(self, *, exception: BaseException, job: Job) -> RetryDecision | None:
        """The pause after the tries that were made; None when it is over."""
        if job.attempts >= 2 * len(self.seconds):
            return None
        return RetryDecision(retry_in={"seconds": self.seconds[min(job.attempts, len(self.seconds) - 1)]})
