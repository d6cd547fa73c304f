"""Covers what every page uses: frame, form base, paging, words."""
