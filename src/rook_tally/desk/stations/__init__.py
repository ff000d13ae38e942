"""The Stations view: the fleet, and one station's page with its message tape."""
