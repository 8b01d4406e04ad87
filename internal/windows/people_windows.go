package windows

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"strings"
	"syscall"
	"time"

	win "golang.org/x/sys/windows"
	"golang.org/x/sys/windows/registry"

	"cirque/internal/winspool"
)

// sessions are the people who are signed in. What is theirs alone is asked and set in the account that this program
// runs as by itself; in others' sessions by this program again, started there.
type sessions struct{}

const (
	defaultsPath    = `Software\Microsoft\Windows NT\CurrentVersion\Windows`
	connectionsPath = `Printers\Connections`
)

// System is the account of services (LocalSystem), whose token may start programs in others' sessions.
const systemSID = "S-1-5-18"

// Own gives the sign-in name and the identifier of the account that this program runs as.
func Own() (login, sid string, err error) {
	who, err := win.GetCurrentProcessToken().GetTokenUser()
	if err != nil {
		return "", "", err
	}
	sid = who.User.Sid.String()
	login, _, _, err = who.User.Sid.LookupAccount("")
	if err != nil {
		u, userErr := user.Current()
		if userErr != nil {
			return "", sid, err
		}
		login = u.Username
	}
	return login[strings.LastIndexByte(login, '\\')+1:], sid, nil
}

// AsSystem says whether this program runs as the system's own account, which is nobody who prints.
func AsSystem() bool {
	who, err := win.GetCurrentProcessToken().GetTokenUser() // no name is looked up: sessions are looked at each second
	return err == nil && who.User.Sid.String() == systemSID
}

// session gives the session of somebody who is signed in.
func session(login string) (winspool.Session, error) {
	list, err := winspool.Sessions()
	if err != nil {
		return winspool.Session{}, err
	}
	for _, s := range list {
		if strings.EqualFold(s.User, login) {
			return s, nil
		}
	}
	return winspool.Session{}, fmt.Errorf("%s is not signed in", login)
}

// SID gives the identifier of somebody: of this account, of who is signed in, or as the system's directory knows it.
func (sessions) SID(login string) (string, error) {
	if own, sid, err := Own(); err == nil && strings.EqualFold(own, login) {
		return sid, nil
	}
	account := login
	if s, err := session(login); err == nil && s.Domain != "" {
		account = s.Domain + `\` + s.User
	}
	sid, _, _, err := win.LookupSID("", account)
	if err != nil {
		return "", err
	}
	return sid.String(), nil
}

// Default reads a person's default queue.
func (of sessions) Default(login string) (string, error) {
	if own, _, err := Own(); err == nil && strings.EqualFold(own, login) {
		return winspool.Default()
	}
	sid, err := of.SID(login)
	if err != nil {
		return "", err
	}
	k, err := registry.OpenKey(registry.USERS, sid+`\`+defaultsPath, registry.QUERY_VALUE)
	if errors.Is(err, registry.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	text, _, err := k.GetStringValue("Device") // NAME,winspool,PORT
	if errors.Is(err, registry.ErrNotExist) {
		err = nil
	}
	called, _, _ := strings.Cut(text, ",")
	return called, errors.Join(err, k.Close())
}

// SetDefault makes a queue a person's default.
func (of sessions) SetDefault(login, called string) error {
	return of.do(login, InSessionDefault, called)
}

// Connections reads a person's connections.
func (of sessions) Connections(login string) ([]string, error) {
	if own, _, err := Own(); err == nil && strings.EqualFold(own, login) {
		return readConnections(registry.CURRENT_USER, connectionsPath)
	}
	sid, err := of.SID(login)
	if err != nil {
		return nil, err
	}
	return readConnections(registry.USERS, sid+`\`+connectionsPath)
}

// Connect makes a connection for a person.
func (of sessions) Connect(login, to string) error { return of.do(login, InSessionConnect, to) }

// Disconnect takes a person's connection away.
func (of sessions) Disconnect(login, to string) error { return of.do(login, InSessionDisconnect, to) }

// What is done in a person's own session, as the first argument after InSession.
const (
	InSession           = "in-session"
	InSessionDefault    = "default"
	InSessionConnect    = "connect"
	InSessionDisconnect = "disconnect"
)

// DoInSession does one of these for the account that this program runs as.
func DoInSession(what, to string) error {
	switch what {
	case InSessionDefault:
		return winspool.SetDefault(to)
	case InSessionConnect:
		return winspool.Connect(to)
	case InSessionDisconnect:
		return winspool.Disconnect(to)
	}
	return fmt.Errorf("%q is nothing that is done in a session", what)
}

// inSessionWithin bounds how long it may take.
const inSessionWithin = 30 * time.Second

// do does it here where the account is that person's, else starts this program in their session.
func (sessions) do(login, what, to string) error {
	if own, _, err := Own(); err == nil && strings.EqualFold(own, login) {
		return DoInSession(what, to)
	}
	s, err := session(login)
	if err != nil {
		return err
	}
	var token win.Token
	if err := win.WTSQueryUserToken(s.ID, &token); err != nil {
		return fmt.Errorf("the session of %s cannot be entered: %w", login, err)
	}
	defer func() { _ = token.Close() }()
	self, err := os.Executable()
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), inSessionWithin)
	defer cancel()
	c := exec.CommandContext(ctx, self, InSession, what, to)
	c.SysProcAttr = &syscall.SysProcAttr{Token: syscall.Token(token), HideWindow: true}
	if env, err := token.Environ(false); err == nil {
		c.Env = env
	}
	var says bytes.Buffer
	c.Stdout, c.Stderr = &says, &says
	if err := c.Run(); err != nil {
		return fmt.Errorf("in the session of %s: %s", login, cmp.Or(strings.TrimSpace(says.String()), err.Error()))
	}
	return nil
}
