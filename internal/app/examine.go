package app

import (
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"io/fs"
	"net"
	"net/url"
	"os"
	"os/user"
	"path/filepath"
	"syscall"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/readiness"
	"cirque/internal/postgres"
	"cirque/internal/postgres/cluster"
	"cirque/internal/whole"
)

// Examine looks at what a service needs where it runs or is to run, and changes nothing. It does not need the service.
func Examine(ctx context.Context, o Options) []endpoint.Check {
	s := readiness.SetUp{Now: time.Now(), Account: "this account", Data: o.Data, Own: o.Database == "", Free: -1,
		Listen: o.Listen, Version: Version, Oldest: cluster.Oldest, SecretKey: filepath.Join(o.Data, secretFile)}
	if u, err := user.Current(); err == nil {
		s.Account = u.Username
	}
	if u, err := url.Parse(o.PublicURL); err == nil {
		s.Public = u.Hostname()
	}
	examineData(&s)
	examineDatabase(ctx, o, &s)
	examineNetwork(o, &s)
	var files syscall.Rlimit
	if syscall.Getrlimit(syscall.RLIMIT_NOFILE, &files) == nil {
		s.OpenFiles = files.Cur
	}
	return readiness.Examine(s)
}

func examineData(s *readiness.SetUp) {
	info, err := os.Stat(s.Data)
	at := s.Data
	switch {
	case err == nil && !info.IsDir():
		s.DataWrong = fault.New(fault.Invalid, "data-directory", "name a directory", "%s is a file", s.Data)
		return
	case err == nil:
		s.DataThere, s.DataOpen = true, info.Mode().Perm()&0o007 != 0 && holdsKeys(s.Data)
	default:
		for at = filepath.Dir(at); at != filepath.Dir(at); at = filepath.Dir(at) {
			if _, err := os.Stat(at); err == nil {
				break
			}
		}
	}
	const write = 2 // access(2)
	if syscall.Access(at, write) != nil {
		s.DataWrong = fault.New(fault.Invalid, "data-directory", "run this as the account that runs the service, or give it "+
			"the directory", "%s may not write %s", s.Account, at)
	}
	var disk syscall.Statfs_t
	if syscall.Statfs(at, &disk) == nil {
		s.Free = int64(disk.Bavail) * disk.Bsize
	}
	if info, err := os.Stat(s.SecretKey); err == nil && info.Size() > 0 {
		s.SecretThere, s.SecretOpen = true, info.Mode().Perm()&0o077 != 0
	}
}

// holdsKeys says whether others than the service could read a key in a directory that they may enter.
func holdsKeys(dir string) bool {
	for _, f := range []string{secretFile, setupFile, filepath.Join("ca", "ca.key")} {
		if info, err := os.Stat(filepath.Join(dir, f)); err == nil && info.Mode().Perm()&0o077 != 0 {
			return true
		}
	}
	return false
}

func examineDatabase(ctx context.Context, o Options, s *readiness.SetUp) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	at := o.Database
	if s.DataThere {
		s.Runs = holderOf(o.Data)
	}
	if s.Own {
		major, err := cluster.Programs(o.Data)
		s.Major, s.Programs = major, fault.As(err)
		db, err := cluster.Attach(ctx, o.Data)
		if err != nil {
			if s.Runs != "" {
				s.Wrong = fault.As(err)
			}
			return
		}
		at = db.URL(databaseName)
	}
	seen, err := postgres.Examine(ctx, at)
	if s.Wrong = fault.As(err); err != nil {
		return
	}
	s.Reached, s.Server, s.Schema, s.Knows, s.Standby = true, seen.Major, seen.Schema, seen.Knows, seen.Standby
	s.BackedUp = seen.BackedUp
	s.Ahead, s.StateOfEstate = time.Until(seen.At), seen.Schema > 0
}

// holderOf names the process that has a data directory, or runs on it; empty where none does.
func holderOf(data string) string {
	for _, name := range []string{lockFile, runsFile} {
		file := filepath.Join(data, name)
		if _, err := os.Stat(file); err != nil {
			continue
		}
		unlock, holder, err := whole.Lock(file)
		if errors.Is(err, whole.ErrLocked) {
			return cmp.Or(holder, "of which nothing is known")
		}
		if err == nil {
			_ = unlock()
		}
	}
	return ""
}

func examineNetwork(o Options, s *readiness.SetUp) {
	if s.Runs == "" {
		ln, err := net.Listen("tcp", o.Listen)
		if s.Taken = err; err == nil {
			_ = ln.Close()
		}
	}
	if o.PlainHTTP {
		s.OwnCertificate = true
		return
	}
	if o.TLSCert == "" && o.TLSKey == "" {
		s.OwnCertificate = true
		file := filepath.Join(o.Data, "ca", "ca.pem")
		b, err := os.ReadFile(file)
		if errors.Is(err, fs.ErrNotExist) {
			return
		}
		block, _ := pem.Decode(b)
		if block != nil {
			var authority *x509.Certificate
			if authority, err = x509.ParseCertificate(block.Bytes); err == nil {
				s.Until = authority.NotAfter
			}
		}
		if err != nil || block == nil {
			s.Certificate = fault.New(fault.Invalid, "authority", "put it back from a backup", "the authority's certificate %s "+
				"cannot be read", file).Because(err)
		}
		return
	}
	cert, err := tls.LoadX509KeyPair(o.TLSCert, o.TLSKey)
	if err != nil {
		s.Certificate = fault.New(fault.Invalid, "tls-files", "name both tls-cert and tls-key, as PEM, readable by the "+
			"service's account", "certificate and key cannot be used: %v", err)
		return
	}
	s.Until, s.Names = cert.Leaf.NotAfter, cert.Leaf.DNSNames
}
