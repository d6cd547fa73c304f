"""The API, `/api/v1`: the same actions and permissions as the pages, for programs."""
