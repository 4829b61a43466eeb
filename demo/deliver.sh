#!/bin/sh
# Posts a delivery to the demo's weighbridge, signed as Standard Webhooks says.
#   demo/deliver.sh ID GROSS_KG [GROWER]     the same ID twice starts one run
# Set DATA when the demo's folder is not demo-data, URL when it is elsewhere.
set -eu
id=$1 gross=$2 grower=${3:-Hollin Bank}
url=${URL:-${WOOLSIGNAL_URL:-http://127.0.0.1:7420}}
key=$(sed -n 's/.*"signing": "whsec_\(.*\)".*/\1/p' "${DATA:-demo-data}/standins.json")
body="{\"grower\":\"$grower\",\"gross_kg\":$gross,\"tare_kg\":31,\"farm_kg\":384,\"bales\":2}"
at=$(date +%s)
hex=$(printf %s "$key" | base64 -d | od -An -tx1 | tr -d ' \n')
signature=$(printf %s "$id.$at.$body" | openssl dgst -sha256 -mac HMAC -macopt "hexkey:$hex" -binary | base64)
curl -sS -i -X POST "$url/in/weighbridge" -H 'Content-Type: application/json' \
  -H "webhook-id: $id" -H "webhook-timestamp: $at" -H "webhook-signature: v1,$signature" -d "$body"
echo
