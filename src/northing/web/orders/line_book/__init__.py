"""The line book: what is asked for, in SQL, and the rows that answer."""
