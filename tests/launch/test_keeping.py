"""Backup and restore of a database and its documents, on a cluster of its own rows."""

import hashlib
import os
import tarfile

import pytest
from launch import keeping
from launch.cluster import Cluster
from launch.keeping import backup_to, restore_from
from launch.say import Stop

NAME = f"northing_kept_{os.getpid()}"


def digest_of(content):
    return hashlib.sha256(content).hexdigest()


PAPER = digest_of(b"%PDF as it was")


def attach(files, content):
    """A document as it lies on disk."""
    path = files / "documents" / digest_of(content)[:2] / digest_of(content)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content)
    return path


@pytest.fixture
def kept(tmp_path):
    """A database with a row and a document."""
    cluster = Cluster("scratch")
    cluster.sql(f"create database {NAME}")
    cluster.sql("create table told (words text); insert into told values ('as it was')", NAME)
    cluster.sql(f"create table activity_document (sha256 text); insert into activity_document values ('{PAPER}')", NAME)
    files = tmp_path / "files"
    attach(files, b"%PDF as it was")
    yield cluster, files, tmp_path / "kept.tgz"
    for name in (NAME, f"{NAME}_restored", f"{NAME}_before"):
        cluster.sql(f"drop database if exists {name} with (force)")


def test_what_was_is_again(kept):
    cluster, files, file = kept
    backup_to(cluster, NAME, files, file)
    cluster.sql("update told set words = 'changed'; insert into told values ('more')", NAME)
    attach(files, b"%PDF as it was").write_bytes(b"changed")
    attach(files, b"new")
    restore_from(cluster, NAME, files, file)
    assert cluster.sql("select words from told", NAME) == "as it was"
    assert documents(files) == {PAPER: b"%PDF as it was"}
    assert not cluster.has_database(f"{NAME}_before")


def documents(files):
    return {path.name: path.read_bytes() for path in files.rglob("*") if path.is_file()}


def test_what_comes_while_it_is_written_is_not_of_it(kept, monkeypatch):
    cluster, files, file = kept
    attach(files, b"torn, and no row speaks of it")
    program = keeping._program

    def meanwhile(*asked):
        new = digest_of(attach(files, b"came meanwhile").read_bytes())
        cluster.sql(f"insert into activity_document values ('{new}'); update told set words = 'later'", NAME)
        program(*asked)

    monkeypatch.setattr(keeping, "_program", meanwhile)
    backup_to(cluster, NAME, files, file)
    monkeypatch.undo()
    restore_from(cluster, NAME, files, file)
    assert cluster.sql("select words from told", NAME) == "as it was"
    assert cluster.sql("select count(*) from activity_document", NAME) == "1"
    assert documents(files) == {PAPER: b"%PDF as it was"}


def test_a_damaged_document_is_said_and_the_rest_is_kept(kept, capsys):
    cluster, files, file = kept
    attach(files, b"%PDF as it was").write_bytes(b"%PDF as")
    backup_to(cluster, NAME, files, file)
    assert "1 of 1 documents are damaged or gone" in capsys.readouterr().err
    restore_from(cluster, NAME, files, file)
    assert documents(files) == {}


def test_a_database_that_is_gone_comes_back(kept):
    cluster, files, file = kept
    backup_to(cluster, NAME, files, file)
    cluster.sql(f"drop database {NAME}")
    restore_from(cluster, NAME, files, file)
    assert cluster.sql("select words from told", NAME) == "as it was"


@pytest.mark.parametrize("content", [b"", b"no tar", b"\x1f\x8b\x08broken"])
def test_what_is_no_backup_changes_nothing(kept, content):
    cluster, files, file = kept
    file.write_bytes(content)
    with pytest.raises(Stop, match="no backup"):
        restore_from(cluster, NAME, files, file)
    assert cluster.sql("select words from told", NAME) == "as it was" and documents(files)


def test_a_backup_that_broke_off_leaves_none(kept, tmp_path):
    cluster, files, file = kept
    backup_to(cluster, NAME, files, file)
    whole = file.read_bytes()
    file.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(Stop):
        restore_from(cluster, NAME, files, file)
    assert cluster.sql("select words from told", NAME) == "as it was"
    with pytest.raises(Stop, match="no folder"):
        backup_to(cluster, NAME, files, tmp_path / "nowhere" / "kept.tgz")


def test_a_damaged_database_in_a_backup_is_said_in_words_and_changes_nothing(kept, tmp_path):
    cluster, files, file = kept
    (tmp_path / "database.dump").write_bytes(b"PGDMP but no more")
    with tarfile.open(file, "w:gz") as tar:
        tar.add(tmp_path / "database.dump", "database.dump")
    with pytest.raises(Stop, match="cannot be read; nothing was changed"):
        restore_from(cluster, NAME, files, file)
    assert cluster.sql("select words from told", NAME) == "as it was"
    assert not cluster.has_database(f"{NAME}_restored")


def test_a_backup_that_does_not_fit_changes_nothing(kept):
    cluster, files, file = kept
    backup_to(cluster, NAME, files, file)
    cluster.sql("update told set words = 'as it is now'", NAME)

    def refuse(database):
        assert cluster.sql("select words from told", database) == "as it was"
        raise Stop("The database is of a newer version.")

    with pytest.raises(Stop, match="newer version"):
        restore_from(cluster, NAME, files, file, refuse)
    assert cluster.sql("select words from told", NAME) == "as it is now"
    assert not cluster.has_database(f"{NAME}_restored")
