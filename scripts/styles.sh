#!/bin/sh
# Builds web/static/app.css when what it is made of has changed. The built file
# is committed together with the sum of its sources, so that running Ready
# Margin needs no Node.
set -eu
cd "$(dirname "$0")/.."
sum=$(cat web/styles/*.css web/templates/*.html web/script/*.js package-lock.json | sha256sum | cut -d' ' -f1)
[ "$(cat web/styles/built.sum 2>/dev/null || true)" = "$sum" ] && exit 0
echo "Building the style sheet"
[ -d node_modules/@tailwindcss/cli ] || npm ci --silent
npx --no-install @tailwindcss/cli -i web/styles/app.css -o web/static/app.css --minify 2>/dev/null
echo "$sum" > web/styles/built.sum
