"""Where things are kept: the usual store, the demo's, the built-in broker's files, logs."""

from __future__ import annotations

import hashlib
from pathlib import Path

import platformdirs

from rook_tally.store.base import Store

_APP = "rook-tally"


def usual_store() -> Path:
    """The store used when none is named."""
    return platformdirs.user_data_path(_APP) / "site.db"


def demo_store() -> Path:
    """The demo's store."""
    return platformdirs.user_data_path(_APP) / "demo.db"


def desk_settings_file() -> Path:
    """Where the window's arrangement is kept."""
    return platformdirs.user_config_path(_APP) / "desk.json"


def desk_log_file() -> Path:
    """Where the window writes down what went wrong."""
    return platformdirs.user_state_path(_APP) / "desk.log"


def broker_folder(store: Store) -> Path:
    """Where the built-in broker of a store keeps its files."""
    return _beside(store, "broker")


def coap_folder(store: Store) -> Path:
    """Where the CoAP door of a store keeps how far its security contexts have counted."""
    return _beside(store, "coap")


def _beside(store: Store, what: str) -> Path:
    if store.path is not None:
        return store.path.with_suffix(f".{what}")
    name = hashlib.sha256(store.url.encode()).hexdigest()[:16]
    return platformdirs.user_state_path(_APP) / f"{what}-{name}"


def drafts_file(store_id: str) -> Path:
    """Where a window keeps what was typed for a store and not saved."""
    return desk_settings_file().with_name("drafts") / f"{store_id}.json"
