"""What `./northing` does before there is an environment: standard library only."""
