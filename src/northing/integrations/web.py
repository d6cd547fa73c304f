"""Asking other programs over HTTP: no detours, a short wait."""

import urllib.request


class _NoDetours(urllib.request.HTTPRedirectHandler):
    """A person who is asked does not send us anywhere else."""

    def redirect_request(self, *args: object, **more: object) -> None:
        return None


OPENER = urllib.request.build_opener(_NoDetours)
