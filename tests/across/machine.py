"""Covers what the machines that do random actions share: each run is taken back,
and what is refused must leave no trace.
"""

from django.db import transaction
from hypothesis import HealthCheck, settings
from hypothesis.stateful import RuleBasedStateMachine, invariant, run_state_machine_as_test

from northing.core.problems import Refused

CHECKS = [HealthCheck.too_slow, HealthCheck.data_too_large, HealthCheck.filter_too_much]


# Everything is proved after so many actions, and at the end.
EVERY = 3


class Machine(RuleBasedStateMachine):
    """Its first action notes `mark`, to which the database goes back at the end. `prove` raises where a rule breaks."""

    world = None
    steps = 0

    def prove(self):
        """Check the proofs that hold after any action."""
        raise NotImplementedError

    def prove_at_the_end(self):
        """Check what takes longer, once for each run."""

    @invariant()
    def everything_holds(self):
        if hasattr(self, "mark"):
            self.steps += 1
            if self.steps % EVERY == 0:
                self.prove()

    def teardown(self):
        if hasattr(self, "mark"):
            try:
                self.prove()
                self.prove_at_the_end()
            finally:
                transaction.savepoint_rollback(self.mark)

    def attempt(self, action, who, request):
        """Do it; what is refused must leave everything as it was, which the invariants see. Returns what it made."""
        try:
            return action(self.world.act(who), request)
        except Refused:
            return None

    def one(self, records, pick):
        """One of the records; none where there is none."""
        found = list(records.order_by("pk"))
        return found[pick % len(found)] if found else None


def run(machine, world, examples, steps):
    """Run it on the world so many times, so many steps each."""
    machine.world = world
    few = settings(
        max_examples=examples, stateful_step_count=steps, deadline=None, suppress_health_check=CHECKS, database=None
    )
    run_state_machine_as_test(machine, settings=few)
