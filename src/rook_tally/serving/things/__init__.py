"""OGC SensorThings API 1.1 (18-088), read only."""
