#!/bin/sh
# Installs the Debian packages that are missing: setup.sh demo | test | engines | bench
set -eu
packages="mariadb-server ffmpeg espeak-ng libflite1 wordnet-base tesseract-ocr tesseract-ocr-deu tesseract-ocr-fra tesseract-ocr-spa pocketsphinx pocketsphinx-en-us libreoffice-writer-nogui libreoffice-impress-nogui libreoffice-calc-nogui libheif-examples fonts-dejavu-core fonts-liberation fonts-crosextra-carlito fonts-crosextra-caladea"
case "${1:-demo}" in
  engines) packages="$packages firefox-esr webkit2gtk-driver xvfb" ;;
  test|bench) packages="$packages flite chromium poppler-utils qpdf mupdf-tools" ;;
esac
missing=""
for p in $packages; do
  [ "$(dpkg-query -W -f '${db:Status-Status}' "$p" 2>/dev/null || true)" = installed ] || missing="$missing $p"
done
[ -z "$missing" ] && exit 0
echo "Installing from Debian:$missing"
sudo=""
if [ "$(id -u)" != 0 ]; then
  command -v sudo >/dev/null || { echo "Please install as root: apt-get install$missing" >&2; exit 1; }
  sudo="sudo"
fi
$sudo apt-get update -q >/dev/null
# shellcheck disable=SC2086 # one word a package
$sudo env DEBIAN_FRONTEND=noninteractive apt-get install -yq --no-install-recommends $missing >/dev/null
