#!/bin/sh
# Fetches the test files of PDF programs, from Debian's sources and Go modules,
# into a folder: what strangers' files look like. Needs the network.
#   corpus.sh FOLDER
set -eu
to=$1
mkdir -p "$to/lists" "$to/parts" "$to/sources"
for f in /etc/apt/sources.list.d/*.sources; do
  sed 's/^Types: deb$/Types: deb-src/' "$f" > "$to/parts/$(basename "$f")"
done
apt="apt-get -q -o Dir::Etc::sourcelist=/dev/null -o Dir::Etc::sourceparts=$(realpath "$to/parts") -o Dir::State::lists=$(realpath "$to/lists")"
$apt update > "$to/log" 2>&1
for package in qpdf pypdf pdfminer pdf.js libpdfbox2-java; do
  (cd "$to/sources" && $apt source --download-only "$package" >> "../log" 2>&1)
done
for archive in "$to"/sources/*.orig.tar.*; do
  case $archive in *.asc) continue ;; esac
  tar -C "$to/sources" -xf "$archive" --wildcards '*.pdf' 2>> "$to/log" || true
done
{ find "$to/sources" -name '*.pdf'; find "$(go env GOMODCACHE)" -name '*.pdf'; } | sort > "$to/files"
wc -l < "$to/files"
