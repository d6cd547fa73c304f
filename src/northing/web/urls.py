"""Every page: the step's word is the first of its address."""

from django.urls import include, path

STEPS = (
    "access",
    "masterdata",
    "messaging",
    "reports",
    "orders",
    "confirmations",
    "shipping",
    "jobs",
    "activity",
    "costing",
    "customs",
    "receiving",
    "quality",
    "claims",
    "billing",
    "payments",
    "inventory",
)

urlpatterns = [
    path("", include("northing.web.common.urls")),
    path("", include("northing.web.worklist.urls")),
    *(path(f"{step}/", include(f"northing.web.{step}.urls")) for step in STEPS),
]
