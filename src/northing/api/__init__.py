"""The API, `/api/v1`: the same deeds and rights as the pages, for programs."""
