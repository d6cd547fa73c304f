"""The database or the worker is away: what is said, how fast, and that nothing typed is lost."""

from datetime import timedelta

import pytest
from django.db import OperationalError, connection
from django.test import Client
from django.utils import timezone

from northing.web.activity import views
from northing.web.orders.views import orders
from northing.worklist.models import Matter
from tests.database import worker_gave_sign


@pytest.fixture
def away(monkeypatch):
    """Every statement fails, as it does while the database restarts."""

    def fails(*_):
        raise OperationalError("server closed the connection unexpectedly")

    def begin():
        context = connection.execute_wrapper(fails)
        context.__enter__()
        return context

    return begin


def quiet(world, who):
    client = Client(raise_request_exception=False)
    client.force_login(world.people[who])
    return client


def test_a_page_says_so_and_keeps_what_was_sent(lived_in, monkeypatch):
    client = quiet(lived_in, "expediter")

    def gone(*_, **__):
        raise OperationalError("the database system is shutting down")

    monkeypatch.setattr(views.remarks, "seen", gone)
    order = Matter.objects.filter(kind="order").first()
    sent = {"key": "k-1", "words": '5 < 6 & "so"', "code": "KET-17", "password": "secret"}
    answer = client.post(f"/activity/order/{order.record if order else 1}/remark/", sent)
    page = answer.content.decode()
    assert answer.status_code == 503 and answer["Retry-After"] == "5"
    assert 'name="key" value="k-1"' in page and "5 &lt; 6 &amp; &quot;so&quot;" in page and "Send again" in page
    assert 'name="code" value="KET-17"' in page and "secret" not in page


def test_a_page_that_is_only_looked_at_can_be_tried_again(lived_in, monkeypatch):
    client = quiet(lived_in, "expediter")

    def gone(*_, **__):
        raise OperationalError("connection refused")

    monkeypatch.setattr(orders, "page_of_rows", gone)
    answer = client.get("/orders/?page=2")
    assert answer.status_code == 503 and b'href="/orders/?page=2">Try again' in answer.content


def test_another_fault_is_still_a_fault(lived_in, monkeypatch):
    client = quiet(lived_in, "expediter")
    monkeypatch.setattr(orders, "page_of_rows", lambda *_, **__: 1 / 0)
    answer = client.get("/orders/")
    assert answer.status_code == 500 and b"Something broke" in answer.content


def test_the_api_says_it_as_problem_details(world, away):
    client = Client(raise_request_exception=False, headers={"authorization": "Bearer x"})
    context = away()
    try:
        answer = client.get("/api/v1/orders")
    finally:
        context.__exit__(None, None, None)
    assert answer.status_code == 503 and answer["Content-Type"] == "application/problem+json"
    assert "send it again" in answer.json()["detail"]


def test_administrators_are_told_that_work_waits(world, signed_in):
    told = "Waiting too long: 1 in letters, the oldest since 6 minutes"
    worker_gave_sign(timezone.now())
    with connection.cursor() as cursor:
        cursor.execute(
            "insert into procrastinate_jobs (queue_name, task_name, status, lock, args, attempts)"
            " values ('letters', 'letter', 'todo', 'x', '{}', 0) returning id"
        )
        [job] = cursor.fetchone()
        assert told not in signed_in("administrator").get("/").content.decode()
        old = timezone.now() - timedelta(minutes=6)
        cursor.execute("delete from procrastinate_events where job_id = %s", [job])
        cursor.execute("insert into procrastinate_events (job_id, type, at) values (%s, 'deferred', %s)", [job, old])
    assert told in signed_in("administrator").get("/").content.decode()
    assert told not in signed_in("expediter").get("/").content.decode()


def health(client, address="/healthz", **headers):
    answer = client.get(address, headers=headers)
    return answer.status_code, answer.content.decode()


def test_health_tells_web_from_worker(db, client, away):
    assert health(client) == (503, "not ok")
    assert health(client, "/healthz?only=web") == (200, "ok")
    worker_gave_sign(timezone.now())
    assert health(client) == (200, "ok")
    worker_gave_sign(timezone.now() - timedelta(minutes=1))
    assert health(client) == (503, "not ok")
    context = away()
    try:
        answer = health(client, "/healthz?only=web")
    finally:
        context.__exit__(None, None, None)
    assert answer == (503, "not ok")


def test_health_tells_its_reasons_to_who_may_know(world, client, settings):
    settings.HEALTH_TOKEN = "a-token"
    told = "not ok\ndatabase: ok. The database fits.\nworker: not ok. The worker is away.\n"
    told += "jobs: ok. Waiting: no job waits."
    assert health(client, authorization="Bearer a-token") == (503, told)
    for wrong in ("Bearer a-toke", "Bearer ", "a", "Bearer é"):
        assert health(client, authorization=wrong) == (503, "not ok")
    client.force_login(world.people["expediter"])
    assert health(client) == (503, "not ok")
    client.force_login(world.people["administrator"])
    assert health(client) == (503, told)
    settings.HEALTH_TOKEN = ""
    assert health(Client(), authorization="Bearer ") == (503, "not ok")
