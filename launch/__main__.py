"""The command line: each word is a function of this folder."""

import sys
from collections.abc import Callable

from launch.cost import cost
from launch.say import Stop, say

USAGE = """usage: ./northing COMMAND

  demo [--port N] [--reset]   set everything up and start the application with demo data
  test [pytest options]       set everything up, then linters, types, contracts, all tests
  serve --host NAME           start it in earnest: production settings, its own database, the worker
  stop                        stop what runs in the background
  manage [--live] WORDS       a management command of the application
  backup FILE [--live]        database and documents into one file
  restore FILE [--live]       and back
  psql [options]              a session on the demo database
  play FILE...                play scenarios and print what came of each as JSON (- for standard input)
  bench [--lines N]           measure against the leanest view one could write
  build                       remake the built assets (needs Node)
  freeze [--dump]             keep the hashes of new migrations and the state they make; a small dump of a release
  shots                       remake docs/screenshots from the demo data
  cost FILE                   compute a landed cost case from JSON (- for standard input)
"""


def _commands() -> dict[str, Callable[[list[str]], int]]:
    from launch import assets, checks, world  # only `cost` must do without them

    return {
        "demo": world.demo,
        "serve": world.serve,
        "backup": world.backup,
        "restore": world.restore,
        "freeze": world.freeze,
        "stop": world.stop,
        "manage": world.manage,
        "psql": world.psql,
        "play": world.play,
        "bench": world.bench,
        "shots": world.shots,
        "test": checks.test,
        "build": assets.build,
    }


def main(words: list[str]) -> int:
    """Run one command and return its exit status."""
    if words and words[0] == "cost":
        return cost(words[1:])
    if not words or words[0] in ("-h", "--help", "help"):
        print(USAGE, end="")
        return 0 if words else 2
    command = _commands().get(words[0])
    if command is None:
        print(f"northing: there is no command {words[0]!r}\n\n{USAGE}", end="", file=sys.stderr)
        return 2
    try:
        return command(words[1:])
    except Stop as stop:
        say(str(stop))
        return 1
    except KeyboardInterrupt:
        return 130


sys.exit(main(sys.argv[1:]))
