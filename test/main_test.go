// Package test holds what is tested from end to end: the service on loopback with a real database, its client, the
// agents, and the console in headless Chromium.
package test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"regexp"
	"runtime/debug"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	cdp "github.com/chromedp/chromedp"

	"cirque/internal/app"
	"cirque/internal/testkit"
)

// demoOnce starts one demo for all tests that only read it.
var demoOnce struct {
	sync.Once
	demo *app.Demo
	err  error
	dir  string
}

// browserOnce starts one browser for all tests; each has a tab of its own.
var browserOnce struct {
	sync.Once
	ctx  context.Context
	err  error
	stop func()
}

func TestMain(m *testing.M) {
	serveIfAsked()
	crowdIfAsked()
	backUpIfAsked()
	agentIfAsked()
	// What is collected here is other tests' time; it is also said to the services, which collect often where nobody does.
	debug.SetGCPercent(300)
	if err := os.Setenv("GOGC", "300"); err != nil {
		panic(err)
	}
	code := testkit.Run(m)
	if browserOnce.stop != nil {
		browserOnce.stop()
	}
	if d := demoOnce.demo; d != nil {
		if err := d.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, "the demo did not stop:", err)
			code = max(code, 1)
		}
	}
	if demoOnce.dir != "" {
		_ = os.RemoveAll(demoOnce.dir)
	}
	os.Exit(code)
}

func scratch() (string, error) { return testkit.Scratch() }

// theDemo gives the demo that tests share; they must leave it as it was.
func theDemo(t *testing.T) *app.Demo {
	t.Helper()
	demoOnce.Do(func() {
		if demoOnce.dir, demoOnce.err = scratch(); demoOnce.err != nil {
			return
		}
		demoOnce.demo, demoOnce.err = app.StartDemo(context.Background(), app.Options{Data: filepath.Join(demoOnce.dir,
			"data"), Listen: "127.0.0.1:0", PlainHTTP: true, Throwaway: true, Health: os.Getenv("CIRQUE_SCREENSHOTS") != ""})
	})
	if demoOnce.err != nil {
		t.Fatal(demoOnce.err)
	}
	return demoOnce.demo
}

func chromium() (string, error) {
	for _, name := range []string{"chromium-headless-shell", "chromium", "chromium-browser"} {
		if p, err := exec.LookPath(name); err == nil {
			return p, nil
		}
	}
	return "", errors.New("chromium is not installed: apt-get install --no-install-recommends chromium")
}

// ownAddress is what a page may ask.
var ownAddress = regexp.MustCompile(`^(https?://127\.0\.0\.1:|http://localhost:|data:|blob:)`)

// tab opens a tab of 1280x800. A request to another host, an error in the page's script or on its console fails the
// test.
func tab(t *testing.T) context.Context {
	t.Helper()
	browserOnce.Do(func() {
		path, err := chromium()
		if err != nil {
			browserOnce.err = err
			return
		}
		profile, err := os.MkdirTemp("", "cirque-browser-")
		if err != nil {
			browserOnce.err = err
			return
		}
		opts := append(cdp.DefaultExecAllocatorOptions[:], cdp.ExecPath(path), cdp.NoSandbox, cdp.UserDataDir(profile),
			cdp.WindowSize(1280, 800),
			cdp.Flag("disable-gpu", true), cdp.Flag("disable-quic", true), cdp.Flag("disable-component-update", true),
			cdp.Flag("no-proxy-server", true),
			cdp.Flag("force-color-profile", "srgb"), cdp.Flag("host-resolver-rules",
				"MAP * ~NOTFOUND, EXCLUDE 127.0.0.1, EXCLUDE "+
					"localhost"))
		allocator, stopAllocator := cdp.NewExecAllocator(context.Background(), opts...)
		ctx, stopBrowser := cdp.NewContext(allocator)
		browserOnce.ctx, browserOnce.err = ctx, cdp.Do(ctx)
		browserOnce.stop = func() { stopBrowser(); stopAllocator(); _ = os.RemoveAll(profile) }
	})
	if browserOnce.err != nil {
		t.Fatal(browserOnce.err)
	}
	ctx, cancel := cdp.NewContext(browserOnce.ctx, cdp.WithNewBrowserContext())
	t.Cleanup(cancel)
	if err := cdp.Do(ctx, cdp.EmulateViewport(1280, 800)); err != nil {
		t.Fatal(err)
	}
	cdp.Listen(ctx, func(ev any) {
		switch e := ev.(type) {
		case *network.EventRequestWillBeSent:
			if u := e.Request.URL; !ownAddress.MatchString(u) {
				t.Errorf("the page asks another host: %s", u)
			}
		case *runtime.EventExceptionThrown:
			t.Errorf("the page's script fails: %s", e.ExceptionDetails.Text)
		}
	})
	ctx, stop := context.WithTimeout(ctx, 3*time.Minute) // generous: machines are shared
	t.Cleanup(stop)
	return ctx
}

// contextOfProcess ends with the process's first interrupt.
var contextOfProcess = sync.OnceValue(func() context.Context {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	context.AfterFunc(ctx, stop)
	return ctx
})
