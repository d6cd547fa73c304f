"""Many guesses at once count like one after the other."""

import time
from concurrent.futures import ThreadPoolExecutor

from django.db import connection
from django.test import Client
from django.urls import reverse

from northing.access.models import Person
from tests.worlds import small_world


def test_sixteen_guesses_at_once_do_not_pass_a_lock_of_five(transactional_db, settings, monkeypatch):
    settings.AXES_ENABLED = True
    small_world()
    looked_at = []

    def check_password(person, password):
        looked_at.append(password)
        time.sleep(0.05)
        return False

    monkeypatch.setattr(Person, "check_password", check_password)

    def guess(n):
        try:
            Client().post(reverse("account_login"), {"login": "dock", "password": f"guess {n}"})
        finally:
            connection.close()

    with ThreadPoolExecutor(16) as hands:
        list(hands.map(guess, range(16)))
    assert len(looked_at) <= 5
