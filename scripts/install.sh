#!/usr/bin/env bash
# Installs the Debian packages that are missing. "install" is what running
# needs, "install-test" what tests and pictures need besides, "install-bench"
# what the measurements need.
set -euo pipefail

missing=()
need() { # need PACKAGE TEST-COMMAND...
  local package=$1
  shift
  "$@" >/dev/null 2>&1 || missing+=("$package")
}

need postgresql bash -c 'ls /usr/lib/postgresql/*/bin/initdb || command -v initdb'
need tesseract-ocr command -v tesseract
need ffmpeg command -v ffmpeg
need pocketsphinx command -v pocketsphinx_continuous
need pocketsphinx-en-us test -d /usr/share/pocketsphinx/model/en-us
need flite command -v flite
need g++ command -v g++ # links the engine of tables
if [[ ${1:-install} == install-bench ]]; then
  need poppler-utils command -v pdftotext
  need python3-doc bash -c 'ls /usr/share/doc/python3.*/html/library'
fi
if [[ ${1:-install} == install-test || ${1:-install} == install-bench ]]; then
  need python3 command -v python3
  need chromium-headless-shell command -v chromium-headless-shell
  need fonts-dejavu-core test -e /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf
  need xvfb command -v Xvfb
  need xterm command -v xterm
  need x11-apps command -v xwd
  need imagemagick command -v import
fi

for tool in go node npm; do
  command -v "$tool" >/dev/null || {
    echo "$tool is not installed; install Go 1.26 and Node.js 20 or newer, then run make again" >&2
    exit 1
  }
done

((${#missing[@]})) || exit 0
echo "installing ${missing[*]} ..."
as_root=()
if ((EUID != 0)); then
  command -v sudo >/dev/null || {
    echo "these Debian packages are missing: ${missing[*]}; install them as root, then run make again" >&2
    exit 1
  }
  as_root=(sudo)
fi
export DEBIAN_FRONTEND=noninteractive
"${as_root[@]}" apt-get update -qq
"${as_root[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
