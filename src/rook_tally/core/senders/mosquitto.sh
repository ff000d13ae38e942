#!/bin/sh
# {station} over MQTT.
mosquitto_pub -h {mqtt_host} -p {mqtt_port}{mqtt_login} -q 1 -t '{topic}' -m '{example}'
