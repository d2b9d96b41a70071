package media

import (
	"bytes"
	"io"
	"os"
)

// mostInMemory is how many bytes of a picture wait for their turn in memory.
const mostInMemory = 1 << 20

// aside is a picture that waits for its turn to be read: a large one in a file that has no
// name any more, so that many that wait fill no memory and a crash leaves none behind.
type aside struct {
	small []byte
	file  *os.File
}

// setAside takes in what comes, MostBytes and one more at most.
func setAside(body io.Reader) (*aside, error) {
	body = io.LimitReader(body, int64(MostBytes)+1)
	small, err := io.ReadAll(io.LimitReader(body, mostInMemory))
	if err != nil || len(small) < mostInMemory {
		return &aside{small: small}, err
	}
	file, err := os.CreateTemp("", "juvalogos-picture-")
	if err != nil {
		return nil, err
	}
	a := &aside{file: file}
	err = os.Remove(file.Name())
	if err == nil {
		_, err = io.Copy(file, io.MultiReader(bytes.NewReader(small), body))
	}
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		a.close()
	}
	return a, err
}

// all is the whole picture.
func (a *aside) all() ([]byte, error) {
	if a.file == nil {
		return a.small, nil
	}
	info, err := a.file.Stat()
	if err != nil {
		return nil, err
	}
	body := make([]byte, info.Size())
	_, err = io.ReadFull(a.file, body)
	return body, err
}

func (a *aside) close() {
	if a.file != nil {
		_ = a.file.Close() // it goes with that
	}
}
