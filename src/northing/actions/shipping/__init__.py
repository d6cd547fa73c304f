"""Ship and follow: packing, departures, arrivals."""
