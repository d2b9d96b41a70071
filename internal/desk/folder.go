package desk

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"juvalogos/core/yamlfile"
)

// FolderFile is a desk file in the folder that is watched, as it was taken up
// last.
type FolderFile struct {
	Name     string            `json:"name"`
	Slug     string            `json:"slug,omitempty"` // of the desk, once it was published
	Revision int               `json:"revision,omitempty"`
	Problems yamlfile.Problems `json:"problems,omitempty"` // with any, the last good revision stays
	At       time.Time         `json:"at"`
}

type folderState struct {
	mu    sync.Mutex
	path  string
	files map[string]FolderFile
	seen  map[string]string // size and time of what was read
}

// folderEvery is how soon a saved file is taken up.
const folderEvery = 300 * time.Millisecond

// WatchFolder publishes the desk files (*.yaml, *.yml) in a folder whenever
// they are saved, until ctx ends. A file with mistakes is reported, and its
// desk stays as it was. told hears of every file that was taken up.
func (s *Service) WatchFolder(ctx context.Context, path string, told func(FolderFile)) error {
	if info, err := os.Stat(path); err != nil || !info.IsDir() {
		return fmt.Errorf("there is no folder %s to watch for desk files", path)
	}
	s.folder.mu.Lock()
	s.folder.path, s.folder.files, s.folder.seen = path, map[string]FolderFile{}, map[string]string{}
	s.folder.mu.Unlock()
	for {
		s.lookIntoFolder(ctx, told)
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(folderEvery):
		}
	}
}

// Folder reports on the folder that is watched; path is empty if there is
// none.
func (s *Service) Folder() (path string, files []FolderFile) {
	s.folder.mu.Lock()
	defer s.folder.mu.Unlock()
	for _, f := range s.folder.files {
		files = append(files, f)
	}
	slices.SortFunc(files, func(a, b FolderFile) int { return strings.Compare(a.Name, b.Name) })
	return s.folder.path, files
}

func (s *Service) lookIntoFolder(ctx context.Context, told func(FolderFile)) {
	entries, err := os.ReadDir(s.folder.path)
	if err != nil {
		return // it may be back in a moment
	}
	there := map[string]bool{}
	recipes := "" // a saved recipe or picture has the desks that name it published anew
	for _, e := range entries {
		ending := filepath.Ext(e.Name())
		beside := strings.HasSuffix(e.Name(), OwnRecipe) || ending != ".yaml" && ending != ".yml"
		if info, err := e.Info(); err == nil && beside && !strings.HasPrefix(e.Name(), ".") {
			recipes += fmt.Sprint(e.Name(), info.Size(), info.ModTime().UnixNano())
		}
	}
	for _, e := range entries {
		name := e.Name()
		info, err := e.Info()
		if err != nil || info.IsDir() || strings.HasPrefix(name, ".") || filepath.Ext(name) != ".yaml" &&
			filepath.Ext(name) != ".yml" || strings.HasSuffix(name, OwnRecipe) {
			continue
		}
		there[name] = true
		state := fmt.Sprint(info.Size(), info.ModTime().UnixNano(), recipes)
		if s.folder.seen[name] == state {
			continue
		}
		f, ok := s.takeUp(ctx, name)
		if !ok {
			continue // tried again the next time
		}
		s.folder.mu.Lock()
		s.folder.seen[name], s.folder.files[name] = state, f
		s.folder.mu.Unlock()
		told(f)
	}
	s.folder.mu.Lock()
	defer s.folder.mu.Unlock()
	for name := range s.folder.files {
		if !there[name] { // its desk stays; withdrawing is somebody's decision
			delete(s.folder.files, name)
			delete(s.folder.seen, name)
		}
	}
}

// takeUp publishes one file of the folder. ok is false if the file or the
// database could not be reached.
func (s *Service) takeUp(ctx context.Context, name string) (f FolderFile, ok bool) {
	f = FolderFile{Name: name, At: s.Now()}
	text, err := os.ReadFile(filepath.Join(s.folder.path, name))
	if err != nil || len(strings.TrimSpace(string(text))) == 0 {
		return f, false // an editor may be about to write it
	}
	text, err = WithFiles(text, func(file string) ([]byte, error) {
		return os.ReadFile(filepath.Join(s.folder.path, filepath.Base(file)))
	})
	if err != nil {
		f.Problems = yamlfile.Problems{{File: name, Message: err.Error()}}
		return f, true
	}
	r, _, err := s.Publish(ctx, name, text, "saved in the folder", "folder "+filepath.Base(s.folder.path))
	if errors.As(err, &f.Problems) {
		s.Log.Warn("a desk file has mistakes; the last good revision stays", "file", name, "problems", len(f.Problems))
		return f, true
	}
	if err != nil {
		if ctx.Err() == nil {
			s.Log.Warn("a desk file could not be published; trying again", "file", name, "error", err)
		}
		return f, false
	}
	f.Slug, f.Revision = r.Slug, r.Number
	return f, true
}
