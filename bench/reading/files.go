package main

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
)

// lots are the packages whose files are read, and how many of a format of each:
// documents that many people made, with many programs. Those of Debian are
// named plainly, those of npm with their version.
var lots = []struct {
	packages string
	format   string
	each     int
}{
	{"alpine-doc antlr-doc bisonc++-doc c2hs-doc cc65-doc crmsh-doc dita-ot-doc ecasound-doc elinks-doc gfarm-doc " +
		"gi-docgen-doc gitmagic gle-doc grub-legacy-doc gsasl-doc hamradio-maintguide idzebra-2.0-doc knot-doc " +
		"lame-doc leveldb-doc libcsv-java-doc libcunit1-doc libdatrie-doc libfmt-doc libghc-attoparsec-doc " +
		"maint-guide privoxy debian-faq-ja libapache2-mod-python-doc iwidgets4-doc", "html", 2},
	{"bliss-doc camlidl-doc coinor-csdp-doc coco-doc fai-doc gitmagic gss-doc infernal-doc instead-doc-ru " +
		"libidn2-doc " +
		"libtasn1-doc maint-guide maint-guide-ja nauty-doc sagetex-doc surf-alggeo-doc tree-puzzle-doc xmlformat-doc",
		"pdf", 1},
	{"r-cran-officer finalcif fonts-lmodern python3-docx apostrophe", "docx", 2},
	{"mammoth@1.13.0", "docx", 9},
	{"docx4js@3.3.0", "docx", 1},
	{"live-manual-odf aprx calligrawords-data coco-doc davical-doc fonts-sil-harmattan fonts-sil-abyssinica",
		"odt", 2},
	{"r-cran-officer libevas-loaders", "pptx", 2},
	{"golang-github-gabriel-vasile-mimetype-dev", "docx", 2},
	{"golang-github-gabriel-vasile-mimetype-dev", "pptx", 2},
	{"golang-github-gabriel-vasile-mimetype-dev", "odt", 1},
	{"golang-github-gabriel-vasile-mimetype-dev", "xlsx", 2},
	{"golang-github-gabriel-vasile-mimetype-dev", "epub", 1},
	{"toppic-common", "docx", 5},
	{"docx4js@3.3.0 pptx2json@0.0.10", "pptx", 1},
	{"xlsx2csv r-cran-readxl r-cran-gdata r-cran-openxlsx", "xlsx", 4},
	{"xlsx-populate@1.21.0", "xlsx", 2},
	{"live-manual-epub snmptt ubuntu-packaging-guide-epub-ru", "epub", 2},
	{"express@4.21.2 axios@1.7.9 yargs@17.7.2 commander@12.1.0 qs@6.13.1 glob@11.0.0 handlebars@4.7.8 marked@15.0.4 " +
		"debug@4.4.0 fastify@5.2.0", "md", 2},
}

// file is one of those that are read.
type file struct {
	Package string
	Path    string // within the package, from its root
	Format  string
	at      string // where it lies
}

func (f file) name() string { return f.Package + "/" + f.Path }

// hash is the SHA-256 sum of the file.
func (f file) hash() (string, error) {
	body, err := os.ReadFile(f.at)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:]), nil
}

// fetch brings the packages that are not in the folder and returns their files.
// What cannot be had is told and left out.
func fetch(folder string) ([]file, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	var all []file
	for _, lot := range lots {
		for p := range strings.FieldsSeq(lot.packages) {
			root := filepath.Join(folder, p)
			if _, err := os.Stat(root); err != nil {
				if err := bring(folder, p, root); err != nil {
					fmt.Fprintf(os.Stderr, "%s could not be fetched: %v\n", p, err)
					continue
				}
			}
			found, err := choose(root, p, lot.format, lot.each)
			if err != nil {
				return nil, err
			}
			all = append(all, found...)
		}
	}
	return all, nil
}

// refresh has the lists of Debian's packages fetched, once.
var refresh sync.Once

// bring fetches one package and unpacks it.
func bring(folder, name, root string) error {
	work, err := os.MkdirTemp(folder, "fetching-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	run := func(name string, arguments ...string) error {
		cmd := exec.Command(name, arguments...)
		cmd.Dir = work
		if said, err := cmd.CombinedOutput(); err != nil {
			return fmt.Errorf("%s: %w: %.200s", name, err, said)
		}
		return nil
	}
	unpacked := filepath.Join(work, "unpacked")
	if err := os.Mkdir(unpacked, 0o755); err != nil {
		return err
	}
	if strings.Contains(name[1:], "@") {
		if err := run("npm", "pack", "--silent", name); err != nil {
			return err
		}
		packed, _ := filepath.Glob(filepath.Join(work, "*.tgz"))
		if err := run("tar", "xzf", packed[0], "-C", unpacked); err != nil {
			return err
		}
	} else {
		err := run("apt-get", "download", "-qq", name)
		if err != nil { // the lists of packages may be old, or none
			refresh.Do(func() { _ = run("apt-get", "update", "-qq") }) // what comes next says what is wrong
			err = run("apt-get", "download", "-qq", name)
		}
		if err != nil {
			return err
		}
		packed, _ := filepath.Glob(filepath.Join(work, "*.deb"))
		if err := run("dpkg-deb", "-x", packed[0], unpacked); err != nil {
			return err
		}
	}
	return os.Rename(unpacked, root)
}

// choose takes some files of a format from a package, always the same, none very
// small or very large.
func choose(root, name, format string, most int) (all []file, err error) {
	least, largest := int64(2000), int64(1_500_000)
	if format == "html" || format == "md" || format == "txt" {
		least, largest = 4000, 150_000
	}
	err = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !d.Type().IsRegular() || filepath.Ext(path) != "."+format {
			return err
		}
		if info, err := d.Info(); err != nil || info.Size() < least || info.Size() > largest {
			return err
		}
		within, err := filepath.Rel(root, path)
		all = append(all, file{name, filepath.ToSlash(within), format, path})
		return err
	})
	slices.SortFunc(all, func(a, b file) int { return cmp.Compare(mixed(a.Path), mixed(b.Path)) })
	return all[:min(most, len(all))], err
}

// mixed puts names in an order that says nothing of what is in the files.
func mixed(name string) string {
	sum := sha256.Sum256([]byte(name))
	return string(sum[:])
}
