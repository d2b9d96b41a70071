#!/usr/bin/env bash
# Fetches the packages of bench/retrieval/packages.tsv and unpacks their documents
# below a folder, each in a folder of its name; what is there stays. With a use
# (lay, learn, choose or report), only those.
#
#     scripts/fetchdocs.sh FOLDER [USE]
set -euo pipefail
folder=${1:?name the folder to unpack into}
use=${2:-}
mkdir -p "$folder"
here=$(cd "$(dirname "$0")/.." && pwd)
fetched=$(mktemp -d)
trap 'rm -rf "$fetched"' EXIT
chmod 755 "$fetched"
while IFS=$'\t' read -r kind package; do
	case $kind in '#'*) continue ;; esac
	if [ -n "$use" ] && [ "$kind" != "$use" ] || [ -d "$folder/$package" ]; then
		continue
	fi
	if ! (cd "$fetched" && apt-get download "$package" >/dev/null 2>&1); then
		echo "fetchdocs: the package $package cannot be had; it is left out" >&2
		continue
	fi
	mkdir -p "$folder/.$package"
	dpkg-deb --fsys-tarfile "$fetched/$package"_*.deb |
		tar x -C "$folder/.$package" --wildcards './usr/share/doc/*'
	mv "$folder/.$package" "$folder/$package"
	rm -f "$fetched"/*.deb
done <"$here/bench/retrieval/packages.tsv"
