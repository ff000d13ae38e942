"""Pictures of the main views, from the demo data at a fixed moment. Run by `./rook shots`."""
