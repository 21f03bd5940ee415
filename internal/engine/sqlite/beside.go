package sqlite

import (
	"encoding/binary"
	"errors"
	"io"
	"os"
	"path/filepath"
	"syscall"

	"golang.org/x/sys/unix"
)

// besides are the endings of the two files that a database which is written
// ahead (WAL) is read with.
var besides = []string{"-wal", "-shm"}

// makeBeside makes the files beside a database that is written ahead, where they
// are missing, and its owner able to write them: SQLite would make them too, but
// as files of whoever reads first, and the owner could write no more. It is called
// before a process reads, and once it does: SQLite sets the mode of an empty file
// anew. What cannot be made is left to SQLite, which tells why.
func makeBeside(path string) {
	if !writtenAhead(path) {
		return
	}
	info, err := os.Stat(path)
	if err != nil {
		return
	}
	owner := info.Sys().(*syscall.Stat_t)
	for _, ending := range besides {
		if _, err := os.Lstat(path + ending); errors.Is(err, os.ErrNotExist) {
			_ = makeFor(owner, info.Mode().Perm(), path+ending)
		} else if err == nil && !ownerWrites(path+ending, owner) {
			_ = unix.Setxattr(path+ending, aclName, writableBy(owner.Uid, info.Mode().Perm()), 0)
		}
	}
}

// writtenAhead reads it from the file's header; source: the database file format,
// section 1.3.
func writtenAhead(path string) bool {
	file, err := os.Open(path)
	if err != nil {
		return false
	}
	defer file.Close()
	var header [20]byte
	_, err = io.ReadFull(file, header[:])
	return err == nil && header[18] == 2 && header[19] == 2
}

// makeFor makes a file that the owner of another can write. It is linked into its
// place once it is ready. The byte in it says nothing to SQLite, which takes such
// a file for empty, but leaves its mode alone.
func makeFor(owner *syscall.Stat_t, mode os.FileMode, path string) error {
	file, err := os.CreateTemp(filepath.Dir(path), ".pikegate-*")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	if err := file.Chmod(mode); err != nil {
		return err
	}
	if int(owner.Uid) != os.Geteuid() && file.Chown(int(owner.Uid), int(owner.Gid)) != nil { // as root only
		if err := unix.Fsetxattr(int(file.Fd()), aclName, writableBy(owner.Uid, mode), 0); err != nil {
			return err
		}
	}
	if _, err := file.Write([]byte{0}); err != nil {
		return err
	}
	return os.Link(file.Name(), path)
}

// aclName is where Linux keeps who else may use a file.
const aclName = "system.posix_acl_access"

// The entries of such a list; source: acl(5) and linux/posix_acl_xattr.h.
const (
	aclVersion                                    = 2
	aclOwner, aclUser, aclGroup, aclMask, aclRest = 0x01, 0x02, 0x04, 0x10, 0x20
)

// writableBy is the list of a file of that mode which a user may write besides.
func writableBy(user uint32, mode os.FileMode) []byte {
	const nobody = ^uint32(0)
	list := binary.LittleEndian.AppendUint32(nil, aclVersion)
	for _, e := range []struct {
		tag, rights uint16
		user        uint32
	}{
		{aclOwner, uint16(mode>>6&7) | 6, nobody},
		{aclUser, 6, user},
		{aclGroup, uint16(mode >> 3 & 7), nobody},
		{aclMask, 6 | uint16(mode>>3&7), nobody},
		{aclRest, uint16(mode & 7), nobody},
	} {
		list = binary.LittleEndian.AppendUint16(list, e.tag)
		list = binary.LittleEndian.AppendUint16(list, e.rights)
		list = binary.LittleEndian.AppendUint32(list, e.user)
	}
	return list
}

// ownerWrites tells whether a user may write a file, as its owner, as all may, or
// because it was made for them.
func ownerWrites(path string, owner *syscall.Stat_t) bool {
	info, err := os.Stat(path)
	if err != nil {
		return false
	}
	has := info.Sys().(*syscall.Stat_t)
	switch {
	case has.Uid == owner.Uid:
		return true
	case has.Gid == owner.Gid && info.Mode().Perm()&0o020 != 0, info.Mode().Perm()&0o002 != 0:
		return true
	}
	list := make([]byte, 1024)
	n, err := unix.Getxattr(path, aclName, list)
	var users, mask uint16
	for at := 4; err == nil && at+8 <= n; at += 8 {
		switch tag, rights := binary.LittleEndian.Uint16(list[at:]), binary.LittleEndian.Uint16(list[at+2:]); {
		case tag == aclUser && binary.LittleEndian.Uint32(list[at+4:]) == owner.Uid:
			users = rights
		case tag == aclMask:
			mask = rights
		}
	}
	return users&mask&2 != 0
}
