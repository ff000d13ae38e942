"""The doors: HTTP, MQTT, Bluetooth, serial ports, polled addresses, watched folders.

Each hands messages to a `Reception` and says how it stands. May import `intake.files` and
`intake.decode`.
"""
