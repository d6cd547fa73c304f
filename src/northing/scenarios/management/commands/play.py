"""`manage play`: play scenario files; a line of JSON for each."""

import json
import sys
from pathlib import Path

from django.core.management.base import BaseCommand

from northing.scenarios.files import play
from northing.scenarios.shapes import NotScenario


class Command(BaseCommand):
    help = "Play scenario files in an empty database, and print what came of each as a line of JSON."
    requires_system_checks = []

    def add_arguments(self, parser):
        parser.add_argument("files", nargs="+", help="a scenario as JSON; - is standard input")

    def handle(self, files, **_):
        status = 0
        for name in files:
            status = max(status, self._file(name))
        sys.exit(status)

    def _file(self, name: str) -> int:
        try:
            content = sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()
            found, off = play(content)
        except (NotScenario, OSError) as error:
            words = " ".join(str(error).split())
            self.stderr.write(f"{name}: {words}")
            return 2
        self.stdout.write(json.dumps(found, ensure_ascii=False))
        for line in off:
            self.stderr.write(f"{name}: {line}")
        return 1 if off else 0
