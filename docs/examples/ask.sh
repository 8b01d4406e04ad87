#!/bin/sh
# Cirque over HTTP with curl: what a person receives, why, and a change that is held to what was seen.
# Needs CIRQUE_URL and CIRQUE_TOKEN, as .demo/demo.env has them; CIRQUE_CA where the authority is Cirque's own.
set -eu

ask() { # METHOD PATH [BODY] [HEADER...]
    method=$1 path=$2 body=${3:-}
    shift; shift; [ $# -eq 0 ] || shift
    set -- --fail-with-body --silent --show-error --request "$method" \
        --header "Authorization: Bearer $CIRQUE_TOKEN" "$@"
    [ -z "${CIRQUE_CA:-}" ] || set -- "$@" --cacert "$CIRQUE_CA"
    [ -z "$body" ] || set -- "$@" --header 'Content-Type: application/json' --data "$body"
    curl "$@" "$CIRQUE_URL$path"
}

user=${1:-mira.solvang} machine=${2:-till-07}

echo "What $user receives at $machine:"
ask POST /api/v1/lineups "{\"user\": \"$user\", \"machine\": \"$machine\"}"
echo

# A list comes in parts: limit says how many, and next of one part is after of the next.
echo "Two queues:"
ask GET '/api/v1/queues?limit=2'
echo

# A change bears a key of its own: sent again with the same key, it is done once and answered as it was the first time.
# If-Match holds it to what was seen: 412 where somebody else has changed the draft meanwhile.
tag=$(ask GET /api/v1/draft '' --dump-header - --output /dev/null | tr -d '\r' | sed -n 's/^[Ee][Tt]ag: //p')
echo "The draft is at $tag; into it goes a place:"
ask POST /api/v1/draft/edits \
    '{"edits": [{"list": "locations", "name": "ardholm/annexe", "object": {"path": "ardholm/annexe"}}]}' \
    --header "If-Match: $tag" --header "Idempotency-Key: annexe-1"
echo

echo "And out again:"
ask DELETE /api/v1/draft
