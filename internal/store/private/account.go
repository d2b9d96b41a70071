package private

import (
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"syscall"
)

// account is the operating system's user that PostgreSQL's programs run as.
// PostgreSQL refuses to run as root, so for root it is another one.
type account struct {
	name     string
	uid, gid int
	other    bool // not the user this process runs as
}

func chooseAccount() (account, error) {
	if os.Geteuid() != 0 {
		return account{uid: os.Geteuid(), gid: os.Getegid()}, nil
	}
	for _, name := range []string{"postgres", "nobody"} {
		u, err := user.Lookup(name)
		if err != nil {
			continue
		}
		uid, err1 := strconv.Atoi(u.Uid)
		gid, err2 := strconv.Atoi(u.Gid)
		if err1 == nil && err2 == nil && uid != 0 {
			return account{name, uid, gid, true}, nil
		}
	}
	return account{}, fmt.Errorf("PostgreSQL does not run as root, and there is no user postgres or nobody to run it " +
		"as; add one, or start the service as another user")
}

// attributes makes a program run as the account, in a process group of its
// own, so that an interrupt at the terminal reaches the service alone.
func (a account) attributes() *syscall.SysProcAttr {
	attr := &syscall.SysProcAttr{Setpgid: true}
	if a.other {
		attr.Credential = &syscall.Credential{Uid: uint32(a.uid), Gid: uint32(a.gid)}
	}
	return attr
}

// own makes a folder that belongs to the account alone.
func (a account) own(folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	if err := os.Chown(folder, a.uid, a.gid); err != nil {
		return err
	}
	return os.Chmod(folder, 0o700)
}

// mayEnter reports the first folder on the way to path that the account may
// not pass through.
func (a account) mayEnter(path string) error {
	if !a.other {
		return nil
	}
	for dir := filepath.Dir(path); ; dir = filepath.Dir(dir) {
		info, err := os.Stat(dir)
		if err != nil {
			return err
		}
		stat, ok := info.Sys().(*syscall.Stat_t)
		open := info.Mode()&0o001 != 0 || ok && int(stat.Uid) == a.uid && info.Mode()&0o100 != 0
		if !open {
			return fmt.Errorf("the database runs as user %q, who may not enter %s; choose another data folder with "+
				"-data, such as /var/lib/juvalogos", a.name, dir)
		}
		if dir == filepath.Dir(dir) {
			return nil
		}
	}
}
