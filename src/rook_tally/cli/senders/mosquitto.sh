#!/bin/sh
# {station} over MQTT.
mosquitto_pub -h {mqtt_host} -p {mqtt_port} -q 1 -t '{topic}' -m '{example}'
