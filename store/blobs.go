package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/school"
)

// Blobs are bytes under the name of their SHA-256.
type Blobs struct{ *base }

// chunkSize keeps transactions small enough for every database setting and
// for a cluster's write sets.
const chunkSize = 1 << 20

type blob struct {
	Hash      string
	Size      int64
	CreatedAt time.Time
}

type blobChunk struct {
	Hash string
	N    int
	Data []byte
}

// PutBlob stores b once, chunk by chunk, each in a transaction of its own, the
// manifest last: a blob without its manifest was interrupted, and is written
// again.
func (s Blobs) PutBlob(ctx context.Context, b []byte) (string, error) {
	hash, err := putBlob(s.db.WithContext(ctx), b)
	if err == nil {
		s.cache.put(hash, b)
	}
	return hash, err
}

// putBlob stores b by a connection, which may be that of a transaction.
func putBlob(db *gorm.DB, b []byte) (string, error) {
	sum := sha256.Sum256(b)
	hash := hex.EncodeToString(sum[:])
	// What is there already is as young as if it came now: nothing refers to it
	// yet, and Sweep must not take it meanwhile.
	if there := db.Exec("UPDATE blobs SET created_at = ? WHERE hash = ?", time.Now().UTC(), hash); there.Error != nil || there.RowsAffected > 0 {
		return hash, there.Error
	}
	for n := 0; n*chunkSize < len(b) || n == 0; n++ {
		part := blobChunk{hash, n, b[n*chunkSize : min((n+1)*chunkSize, len(b))]}
		if err := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&part).Error; err != nil {
			return "", err
		}
	}
	err := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&blob{hash, int64(len(b)), time.Now().UTC()}).Error
	return hash, err
}

// DropBlob forgets a blob, so that it can be written anew.
func (s Blobs) DropBlob(ctx context.Context, hash string) error {
	s.cache.drop(hash)
	return s.inTx(ctx, func(tx *gorm.DB) error {
		if err := tx.Where("hash = ?", hash).Delete(&blob{}).Error; err != nil {
			return err
		}
		return tx.Where("hash = ?", hash).Delete(&blobChunk{}).Error
	})
}

// Blob returns the bytes of that name, or school.ErrNotFound. What comes from
// the database is checked against the name.
func (s Blobs) Blob(ctx context.Context, hash string) ([]byte, error) {
	f, err := s.OpenBlob(ctx, hash)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	size, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return nil, err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	out := make([]byte, size)
	_, err = io.ReadFull(f, out)
	return out, err
}

// SmallBlobs returns several small blobs by one statement; those that are not
// there are left out.
func (s Blobs) SmallBlobs(ctx context.Context, hashes ...string) (map[string][]byte, error) {
	out := map[string][]byte{}
	var missing []string
	for _, hash := range hashes {
		f := s.cache.open(hash)
		if f == nil {
			missing = append(missing, hash)
			continue
		}
		b, err := io.ReadAll(f)
		f.Close()
		if err != nil {
			return nil, err
		}
		out[hash] = b
	}
	if len(missing) == 0 {
		return out, nil
	}
	chunks, err := all[blobChunk](s.db.WithContext(ctx).Where("hash IN ?", missing).Order("hash, n"))
	if err != nil {
		return nil, err
	}
	for _, c := range chunks {
		out[c.Hash] = append(out[c.Hash], c.Data...)
	}
	for _, hash := range missing {
		b, there := out[hash]
		if !there {
			continue
		}
		if sum := sha256.Sum256(b); hex.EncodeToString(sum[:]) != hash {
			return nil, fmt.Errorf("%w: %s", school.ErrDamaged, hash)
		}
		s.cache.put(hash, b)
	}
	return out, nil
}

// OpenBlob reads a blob into the cache, chunk by chunk, unless it is there, so
// that whoever reads slowly holds no connection and little memory.
func (s Blobs) OpenBlob(ctx context.Context, hash string) (io.ReadSeekCloser, error) {
	if f := s.cache.open(hash); f != nil {
		return f, nil
	}
	if _, err := first[blob](s.db.WithContext(ctx), "hash = ?", hash); err != nil {
		return nil, err
	}
	f, err := os.CreateTemp(s.cache.dir, "new-*")
	if err != nil {
		return nil, err
	}
	size, err := s.copyBlob(ctx, hash, f)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
		os.Remove(f.Name())
		return nil, err
	}
	s.cache.keep(f.Name(), hash, size)
	return f, nil
}

// copyBlob writes the bytes of a blob, and checks them against its name.
func (s Blobs) copyBlob(ctx context.Context, hash string, to io.Writer) (size int64, err error) {
	rows, err := s.db.WithContext(ctx).Raw("SELECT data FROM blob_chunks WHERE hash = ? ORDER BY n", hash).Rows()
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	sum := sha256.New()
	for rows.Next() {
		var data sql.RawBytes
		if err := rows.Scan(&data); err != nil {
			return size, err
		}
		sum.Write(data)
		if _, err := to.Write(data); err != nil {
			return size, err
		}
		size += int64(len(data))
	}
	if err := rows.Err(); err != nil {
		return size, err
	}
	if hex.EncodeToString(sum.Sum(nil)) != hash {
		return size, fmt.Errorf("%w: %s", school.ErrDamaged, hash)
	}
	return size, nil
}

// cacheSize bounds the blobs kept on disk, in bytes.
const cacheSize = 1 << 30

// A cache keeps blobs that were read in a folder, dropping those not used for
// the longest time. Any failure only means that the database is asked.
type cache struct {
	dir  string
	mu   sync.Mutex
	size int64 // upper bound of what is in the folder; 0 before the first put
}

func (c *cache) path(hash string) string { return filepath.Join(c.dir, hash) }

// open opens a blob that is there, and checks it against its name: the folder
// may be on any disk.
func (c *cache) open(hash string) *os.File {
	if c.dir == "" {
		return nil
	}
	f, err := os.Open(c.path(hash))
	if err != nil {
		return nil
	}
	sum := sha256.New()
	if _, err := io.Copy(sum, f); err != nil || hex.EncodeToString(sum.Sum(nil)) != hash {
		f.Close()
		os.Remove(c.path(hash))
		return nil
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		f.Close()
		return nil
	}
	os.Chtimes(c.path(hash), time.Now(), time.Now())
	return f
}

func (c *cache) drop(hash string) {
	if c.dir != "" {
		os.Remove(c.path(hash))
	}
}

func (c *cache) put(hash string, b []byte) {
	if c.dir == "" {
		return
	}
	tmp, err := os.CreateTemp(c.dir, "new-*")
	if err != nil {
		return
	}
	_, err = tmp.Write(b)
	if err = errors.Join(err, tmp.Close()); err != nil {
		os.Remove(tmp.Name())
		return
	}
	c.keep(tmp.Name(), hash, int64(len(b)))
}

// keep takes a file of the folder as the blob of that name; one elsewhere is
// gone with whoever has it open.
func (c *cache) keep(file, hash string, size int64) {
	if c.dir == "" || os.Rename(file, c.path(hash)) != nil {
		os.Remove(file)
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.size += size
	if c.size == size || c.size > cacheSize {
		c.trim()
	}
}

// trim measures the folder and drops the least recently used blobs down to
// three quarters of the bound.
func (c *cache) trim() {
	entries, err := os.ReadDir(c.dir)
	if err != nil {
		return
	}
	var files []os.FileInfo
	c.size = 0
	for _, e := range entries {
		if info, err := e.Info(); err == nil {
			files, c.size = append(files, info), c.size+info.Size()
		}
	}
	slices.SortFunc(files, func(a, b os.FileInfo) int { return a.ModTime().Compare(b.ModTime()) })
	for _, f := range files {
		if c.size <= cacheSize*3/4 {
			return
		}
		if os.Remove(c.path(f.Name())) == nil {
			c.size -= f.Size()
		}
	}
}
