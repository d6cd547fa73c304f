"""Many guesses at once count like one after the other."""

from concurrent.futures import ThreadPoolExecutor

from django.db import connection
from django.test import Client
from django.urls import reverse

from tests.worlds import small_world


def test_sixteen_guesses_at_once_do_not_pass_a_lock_of_five(transactional_db, settings):
    settings.AXES_ENABLED = True
    small_world()

    def guess(n):
        try:
            answer = Client().post(reverse("account_login"), {"login": "dock", "password": f"guess {n}"})
            return b"do not match" in answer.content
        finally:
            connection.close()

    with ThreadPoolExecutor(16) as hands:
        looked_at = sum(hands.map(guess, range(16)))
    assert looked_at <= 5
    right = Client().post(reverse("account_login"), {"login": "dock", "password": "dock"})
    assert b"Too many wrong tries" in right.content
