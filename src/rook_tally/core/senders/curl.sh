#!/bin/sh
# {station} over HTTP.
curl -sS http://{http}/v1/readings \
    -H 'Authorization: Bearer {key}' -H 'Content-Type: application/json' \
    -d '{example}'
