#!/bin/sh
# Answers an offer as a mill would, signed as Standard Webhooks says.
#   demo/answer.sh OFFER true|false
# Set DATA when the demo's folder is not demo-data, URL when it is elsewhere.
set -eu
offer=$1 accepted=$2
url=${URL:-${WOOLSIGNAL_URL:-http://127.0.0.1:7420}}
key=$(sed -n 's/.*"signing": "whsec_\(.*\)".*/\1/p' "${DATA:-demo-data}/standins.json")
id="answer-$offer-$accepted" body="{\"offer\":\"$offer\",\"accepted\":$accepted}"
at=$(date +%s)
hex=$(printf %s "$key" | base64 -d | od -An -tx1 | tr -d ' \n')
signature=$(printf %s "$id.$at.$body" | openssl dgst -sha256 -mac HMAC -macopt "hexkey:$hex" -binary | base64)
curl -sS -i -X POST "$url/in/mill-answers" -H 'Content-Type: application/json' \
  -H "webhook-id: $id" -H "webhook-timestamp: $at" -H "webhook-signature: v1,$signature" -d "$body"
echo
