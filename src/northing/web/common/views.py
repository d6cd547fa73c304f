"""Whether the application is up."""

from django.contrib.auth.decorators import login_not_required
from django.db import connection
from django.http import JsonResponse

from northing.web.common.permissions import open_page


@open_page
@login_not_required
def healthz(request):
    """Whether the application and its database answer."""
    with connection.cursor() as cursor:
        cursor.execute("select 1")
    return JsonResponse({"status": "ok"})
