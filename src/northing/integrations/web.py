"""Asking other programs over HTTP: no detours, a short wait."""

import urllib.request


class _NoDetours(urllib.request.HTTPRedirectHandler):
    """An address that is asked may not redirect to another one."""

    def redirect_request(self, *args: object, **more: object) -> None:
        return None


OPENER = urllib.request.build_opener(_NoDetours)
