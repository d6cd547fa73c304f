"""What every model may use: numeric fields, many rows in one statement."""
