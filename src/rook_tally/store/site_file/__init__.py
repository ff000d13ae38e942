"""A site brought to what a site file says, and told as one. May import all of the store."""
