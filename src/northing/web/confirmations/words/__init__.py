"""Texts of the supplier's page, apart from it, so that they can be translated: one module for each language."""

from northing.web.confirmations.words import en

LANGUAGES = {"en": en.WORDS}


def words(language: str = "en") -> dict[str, str]:
    """The texts in a language; English where there are none."""
    return en.WORDS | LANGUAGES.get(language, {})
