"""Pages of papers as pictures: of a good file, of junk, and of one that would take all of the memory."""

import pytest

from northing.activity.pdf_pages import MOST, page_count, picture_of
from tests.small_pdf import small_pdf

HUGE = small_pdf().replace(b"[0 0 200 280]", b"[0 0 14400000 14400000]")


@pytest.mark.parametrize(
    ("content", "pages"), [(small_pdf(2), 2), (small_pdf(9), MOST), (b"%PDF-1.4 junk", 0), (b"", 0)]
)
def test_pages_are_counted(tmp_path, content, pages):
    path = tmp_path / "paper"
    path.write_bytes(content)
    assert page_count(path) == pages


def test_a_page_is_a_picture_no_larger_than_said(tmp_path):
    path = tmp_path / "paper"
    path.write_bytes(small_pdf(2))
    made = picture_of(path, 2)
    wide, high = (int.from_bytes(made[at : at + 4], "big") for at in (16, 20))
    assert (wide, high) == (1_000, 1_400)
    assert picture_of(path, 3) == picture_of(path, 0) == picture_of(tmp_path / "none", 1) == b""


def test_a_page_of_kilometres_ends(tmp_path):
    path = tmp_path / "paper"
    path.write_bytes(HUGE)
    made = picture_of(path, 1)
    assert len(made) < 100_000
