"""Backup and restore: one file that holds the database and the documents, as they were at one moment."""

import contextlib
import hashlib
import itertools
import os
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Callable
from pathlib import Path

from launch.cluster import Cluster
from launch.places import POSTGRES_BIN
from launch.say import Stop, run, say

DUMP, FILES = "database.dump", Path("files")
END = "that-is-all"


def backup_to(cluster: Cluster, database: str, files: Path, target: Path) -> None:
    """Write the backup beside the target first: a backup that broke off never looks like one."""
    target = target.resolve()
    if not target.parent.is_dir():
        raise Stop(f"there is no folder {target.parent}")
    part = target.with_name(target.name + ".part")
    try:
        with tempfile.TemporaryDirectory() as folder, tarfile.open(part, "w:gz", compresslevel=3) as tar:
            dump = Path(folder) / DUMP
            with Moment(cluster, database) as moment:
                words = ["--format=custom", "--no-owner", f"--snapshot={moment.name}", "--file", dump, database]
                _program(cluster, "pg_dump", words)
                digests = moment.digests()
            tar.add(dump, DUMP)
            lost = sum(not _add_document(tar, files, digest) for digest in digests)
        part.replace(target)
        if lost:
            say(f"{lost} of {len(digests)} documents are damaged or gone, and not in the backup; attach them again")
    finally:
        part.unlink(missing_ok=True)


def _add_document(tar: tarfile.TarFile, files: Path, digest: str) -> bool:
    """Add the document of a digest (SHA-256, hex) where it is there and whole."""
    path = Path("documents") / digest[:2] / digest
    try:
        with (files / path).open("rb") as file:
            whole = hashlib.file_digest(file, "sha256").hexdigest() == digest
            if whole:
                file.seek(0)
                tar.addfile(tar.gettarinfo(arcname=str(FILES / path), fileobj=file), file)
    except FileNotFoundError:
        return False
    return whole


class Moment:
    """A moment of the database, held while it is dumped: documents that come later are not of it."""

    HOLD = "begin isolation level repeatable read, read only; select pg_export_snapshot();"

    def __init__(self, cluster: Cluster, database: str):
        environment = os.environ | {"PGPASSWORD": cluster.password}
        self.session = subprocess.Popen(
            cluster.psql(database, "-AtXq"),
            env=environment,
            text=True,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )

    def __enter__(self) -> "Moment":
        self.name = "".join(self._ask(self.HOLD))
        if not self.name:
            raise Stop(f"the database cannot be read: {self.session.communicate()[1].strip()[-200:]}")
        return self

    def __exit__(self, *_: object) -> None:
        with contextlib.suppress(BrokenPipeError):
            self.session.communicate()

    def digests(self) -> list[str]:
        """The digests (SHA-256, hex) of the documents that the database knows."""
        return self._ask("select distinct sha256 from activity_document order by 1;")

    def _ask(self, statement: str) -> list[str]:
        assert self.session.stdin and self.session.stdout
        with contextlib.suppress(BrokenPipeError):
            self.session.stdin.write(f"{statement}\n\\echo {END}\n")
            self.session.stdin.flush()
        lines = (line.strip() for line in iter(self.session.stdout.readline, ""))
        return list(itertools.takewhile(lambda line: line != END, lines))


def dump_of(cluster: Cluster, database: str, target: Path) -> None:
    """Dump a database into one file, as small as it goes."""
    target.parent.mkdir(parents=True, exist_ok=True)
    _program(cluster, "pg_dump", ["--format=custom", "--compress=9", "--no-owner", "--file", target, database])


def restore_from(
    cluster: Cluster, database: str, files: Path, source: Path, upgrade: Callable[[str], None] = lambda _: None
) -> None:
    """Put database and documents back as the backup has them. The present data is kept until all is read.

    `upgrade` brings the restored database to this code before it takes its place; it raises Stop where it cannot.
    """
    if not source.is_file():
        raise Stop(f"there is no file {source}")
    with tempfile.TemporaryDirectory(dir=_beside(files)) as folder:
        try:
            with tarfile.open(source) as tar:
                tar.extractall(folder, filter="data")
        except (tarfile.TarError, OSError, EOFError) as error:
            raise Stop(f"{source} is no backup of Northing: {error}") from None
        if not (Path(folder) / DUMP).is_file():
            raise Stop(f"{source} is no backup of Northing: it holds no database")
        new, old = f"{database}_restored", f"{database}_before"
        cluster.sql(f"drop database if exists {new} with (force)")
        cluster.sql(f"create database {new}")
        try:
            _program(cluster, "pg_restore", ["--exit-on-error", "--no-owner", "--dbname", new, Path(folder) / DUMP])
        except Stop as error:
            cluster.sql(f"drop database if exists {new} with (force)")
            said = str(error).strip().splitlines()[-1][-200:]
            what = f"the database in {source} cannot be read; nothing was changed. The last that was said of it: {said}"
            raise Stop(what) from None
        try:
            upgrade(new)
        except Stop:
            cluster.sql(f"drop database if exists {new} with (force)")
            raise
        cluster.sql(f"drop database if exists {old} with (force)")
        if cluster.has_database(database):
            _cut_off(cluster, database)
            cluster.sql(f"alter database {database} rename to {old}")
        cluster.sql(f"alter database {new} rename to {database}")
        cluster.sql(f"drop database if exists {old} with (force)")
        _swap(Path(folder) / FILES, files)


def _beside(files: Path) -> Path:
    files.parent.mkdir(parents=True, exist_ok=True)
    return files.parent


def _cut_off(cluster: Cluster, database: str) -> None:
    cluster.sql(f"select pg_terminate_backend(pid) from pg_stat_activity where datname = '{database}'")


def _swap(restored: Path, files: Path) -> None:
    before = files.with_name(files.name + ".before")
    shutil.rmtree(before, ignore_errors=True)
    if files.exists():
        files.rename(before)
    if restored.exists():
        restored.rename(files)
    shutil.rmtree(before, ignore_errors=True)


def _program(cluster: Cluster, name: str, words: list[object]) -> None:
    where = ["-h", "127.0.0.1", "-p", str(cluster.port), "-U", "northing"]
    command = [str(POSTGRES_BIN / name), *where, *(str(word) for word in words)]
    run(command, name, env=os.environ | {"PGPASSWORD": cluster.password})
