"""Files of readings: a table read, its times and units understood, its readings brought in."""
