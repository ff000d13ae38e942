"""The plan: pictures of floors with the stations that hang there."""
