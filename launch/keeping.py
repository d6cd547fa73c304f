"""Backup and restore: one file that holds the database and the documents, as they were at one moment."""

import os
import shutil
import tarfile
import tempfile
from pathlib import Path

from launch.cluster import Cluster
from launch.places import POSTGRES_BIN
from launch.say import Stop, run

DUMP, FILES = "database.dump", "files"


def backup_to(cluster: Cluster, database: str, files: Path, target: Path) -> None:
    """Write the backup beside the target first: a backup that broke off never looks like one."""
    target = target.resolve()
    if not target.parent.is_dir():
        raise Stop(f"there is no folder {target.parent}")
    part = target.with_name(target.name + ".part")
    try:
        with tempfile.TemporaryDirectory() as folder, tarfile.open(part, "w:gz", compresslevel=3) as tar:
            dump = Path(folder) / DUMP
            # The documents a row speaks of are written before the row: taken after the dump, none of them is missing.
            _program(cluster, "pg_dump", ["--format=custom", "--no-owner", "--file", dump, database])
            tar.add(dump, DUMP)
            if files.is_dir():
                tar.add(files, FILES)
        part.replace(target)
    finally:
        part.unlink(missing_ok=True)


def restore_from(cluster: Cluster, database: str, files: Path, source: Path) -> None:
    """Put database and documents back as the backup has them. The present data is kept until all is read."""
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
