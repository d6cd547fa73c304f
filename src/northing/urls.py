"""Every address of the application."""

urlpatterns: list = []
