package private

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
)

// programs finds the folder of PostgreSQL's server programs. With version ""
// it takes the newest; otherwise that major version, which a cluster that
// exists already insists on.
func programs(version string) (string, error) {
	folders, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	for _, name := range []string{"postgres", "initdb"} {
		if path, err := exec.LookPath(name); err == nil {
			folders = append(folders, filepath.Dir(path))
		}
	}
	best, bestVersion := "", -1
	for _, folder := range folders {
		if !isProgram(filepath.Join(folder, "postgres")) || !isProgram(filepath.Join(folder, "initdb")) {
			continue
		}
		major := majorVersion(filepath.Join(folder, "postgres"))
		if version != "" && strconv.Itoa(major) != version {
			continue
		}
		if major > bestVersion {
			best, bestVersion = folder, major
		}
	}
	switch {
	case best != "":
		return best, nil
	case version != "":
		return "", fmt.Errorf("the data folder was made by PostgreSQL %s, whose programs are not installed; install "+
			"Debian's package postgresql-%s", version, version)
	}
	return "", fmt.Errorf("PostgreSQL's server programs are not installed; install Debian's package postgresql " +
		"(apt-get install postgresql), or name a database with -database")
}

func isProgram(path string) bool {
	info, err := os.Stat(path)
	return err == nil && !info.IsDir() && info.Mode()&0o111 != 0
}

// majorVersion asks the program; -1 if it does not say.
func majorVersion(postgres string) int {
	if parts := strings.Split(postgres, "/"); len(parts) > 4 && parts[1] == "usr" && parts[3] == "postgresql" {
		if n, err := strconv.Atoi(parts[4]); err == nil {
			return n
		}
	}
	out, err := exec.Command(postgres, "--version").Output()
	if err != nil {
		return -1
	}
	words := strings.Fields(string(out)) // postgres (PostgreSQL) 15.18 ...
	if len(words) < 3 {
		return -1
	}
	n, err := strconv.Atoi(strings.Split(words[2], ".")[0])
	if err != nil {
		return -1
	}
	return n
}
