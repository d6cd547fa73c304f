"""The common parts of all pages: frame, form base, paging, words."""
