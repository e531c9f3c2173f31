"""NMEA 0183 sentences as tables of fields: decode, encode, explain."""
