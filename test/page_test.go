package test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	browser "github.com/chromedp/cdproto/page"
	cdp "github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"cirque/internal/app"
)

// A page is a tab at the console. Things on it are found by their role and name, as people and screen readers find
// them.
type page struct {
	t    *testing.T
	ctx  context.Context
	base string
	n    int
}

// finder is a function of the page: the visible element of a role and an accessible name, or the end of one after "…"
// (HTML-AAM's mapping for the elements that the console uses).
const finder = `(role, name) => {
  const roles = { button: "button", a: "link", select: "combobox", h1: "heading", h2: "heading", h3: "heading", table: "table", tr: "row", option: "option", nav: "navigation", summary: "summary", textarea: "textbox" };
  const roleOf = (e) => e.getAttribute("role") ?? (e.tagName === "INPUT" ? ({ search: "searchbox", checkbox: "checkbox", radio: "radio" }[e.type] ?? "textbox") : roles[e.tagName.toLowerCase()]);
  const tidy = (s) => (s ?? "").replace(/\s+/g, " ").trim();
  const nameOf = (e) => tidy(e.getAttribute("aria-label")) || tidy((e.labels ?? [])[0]?.firstChild?.textContent) || (e.type === "checkbox" ? tidy((e.labels ?? [])[0]?.textContent) : "") || tidy(e.textContent);
  return [...document.querySelectorAll("*")].find((e) => roleOf(e) === role && (name.startsWith("…") ? nameOf(e).endsWith(name.slice(1)) : nameOf(e) === name) && e.getClientRects().length > 0) ?? null;
}`

func (p *page) do(what string, actions ...cdp.Action[cdp.Void]) {
	p.t.Helper()
	if err := cdp.Do(p.ctx, actions...); err != nil {
		p.t.Fatalf("%s: %v\n%s", what, err, p.text())
	}
}

// poll waits for an expression to be true. A page that takes another's place meanwhile is asked anew: the browser tells
// of the new one a moment after it has been navigated to.
func (p *page) poll(js string) error {
	for try := 0; ; try++ {
		_, err := cdp.Run(p.ctx, cdp.Poll[bool](js, cdp.WithPollingInterval(100*time.Millisecond),
			cdp.WithPollingTimeout(time.Minute)))
		if err == nil || try == 5 || !strings.Contains(err.Error(), "Cannot find context") && !strings.Contains(err.Error(),
			"context was destroyed") && !strings.Contains(err.Error(), "target navigated") {
			return err
		}
	}
}

func quote(s string) string {
	b, _ := json.Marshal(s) // a string
	return string(b)
}

// find waits for a thing and gives a selector for it.
func (p *page) find(role, name string) string {
	p.t.Helper()
	p.n++
	mark := fmt.Sprintf("found-%d", p.n)
	js := fmt.Sprintf(`(() => { const e = (%s)(%s, %s); if (!e) return false; e.setAttribute("data-%s", ""); return true; })()`, finder, quote(role), quote(name), mark)
	if err := p.poll(js); err != nil {
		p.t.Fatalf("no %s %q: %v\n%s", role, name, err, p.text())
	}
	return "[data-" + mark + "]"
}

func (p *page) press(role, name string) {
	p.t.Helper()
	for hit := false; !hit; {
		p.do("press "+name, cdp.Click(cdp.CSS(p.still(role, name))))
		// What comes late may have moved it under the pointer, or have put another in its place between pressing and
		// letting go; a page that is gone has been left by the press.
		missed, err := cdp.Run(p.ctx, cdp.Evaluate[bool](
			"window.pressing !== undefined && (!pressing.down || !pressing.click && !pressing.of.isConnected)"))
		hit = err != nil || !missed
	}
}

// still is find for what is about to be pressed: it waits until the thing stands still for a few frames, as a hand
// does, and can be pressed, and notes whether it is; one that the page replaces meanwhile is looked for anew.
func (p *page) still(role, name string) string {
	p.t.Helper()
	for {
		sel := p.find(role, name)
		stands, err := cdp.Run(p.ctx,
			cdp.Evaluate[bool](`new Promise((done) => { let before = "", same = 0; const look = () => {
			const e = document.querySelector(`+quote(sel)+`); if (!e) return done(false);
			const b = e.getBoundingClientRect(), now = [b.x, b.y, b.width, b.height].join(); same = now === before ? same + 1 : 0; before = now;
			if (same >= 3 && !e.disabled) {
				const pressing = window.pressing = { of: e };
				e.addEventListener("pointerdown", () => { pressing.down = true; }, { once: true });
				e.addEventListener("click", () => { pressing.click = true; }, { once: true });
				done(true);
			} else requestAnimationFrame(look); }; look(); })`, cdp.EvalAwaitPromise))
		if err != nil && p.ctx.Err() != nil {
			p.t.Fatalf("%s %q does not stand still: %v", role, name, err)
		}
		if stands {
			return sel
		}
	}
}

func (p *page) fill(role, name, text string) {
	p.t.Helper()
	sel := p.find(role, name)
	p.do("fill "+name, cdp.Click(cdp.CSS(sel)), cdp.SendKeys(cdp.CSS(sel), text))
}

// choose takes one of a list's options, as a person's own choice arrives at the page.
func (p *page) choose(name, value string) {
	p.t.Helper()
	sel := p.find("combobox", name)
	p.until(`(() => { const e = document.querySelector(` + quote(sel) +
		`); return e && [...e.options].some((o) => o.value === ` + quote(value) + `); })()`)
	p.eval(`(() => { const e = document.querySelector(` + quote(sel) +
		`); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(e, ` + quote(value) +
		`); e.dispatchEvent(new Event("change", { bubbles: true })); return ""; })()`)
}

func (p *page) keys(keys string) {
	p.t.Helper()
	p.do("keys", cdp.KeyEvent(keys))
}

// see waits until a text stands on the page.
func (p *page) see(text string) {
	p.t.Helper()
	js := fmt.Sprintf(`document.body.innerText.replace(/\s+/g, " ").includes(%s)`, quote(text))
	if err := p.poll(js); err != nil {
		p.t.Fatalf("%q is not seen: %v\n%s", text, err, p.text())
	}
}

// gone waits until a text does not stand on the page.
func (p *page) gone(text string) {
	p.t.Helper()
	js := fmt.Sprintf(`!document.body.innerText.replace(/\s+/g, " ").includes(%s)`, quote(text))
	if err := p.poll(js); err != nil {
		p.t.Fatalf("%q is still seen: %v", text, err)
	}
}

// lacks waits until there is no such thing: a name that only screen readers hear is no text, which gone would look for.
func (p *page) lacks(role, name string) {
	p.t.Helper()
	if err := p.poll(fmt.Sprintf("!(%s)(%s, %s)", finder, quote(role), quote(name))); err != nil {
		p.t.Fatalf("%s %q is still there: %v", role, name, err)
	}
}

func (p *page) text() string {
	s, _ := cdp.Run(p.ctx, cdp.Evaluate[string](`document.body.innerText`)) // for a message only
	return s
}

// hand gives a file to the page's field for files, once it takes one.
func (p *page) hand(name, data string) {
	p.t.Helper()
	file := filepath.Join(p.t.TempDir(), name)
	if err := os.WriteFile(file, []byte(data), 0o600); err != nil {
		p.t.Fatal(err)
	}
	p.do("hand over "+name, cdp.SetUploadFiles(cdp.CSS("input[type=file]:not(:disabled)"), []string{file}))
}

func (p *page) goTo(path string) {
	p.t.Helper()
	p.do("go to "+path, cdp.Navigate(p.base+path))
}

// first has the pages that are opened from now on run a script before anything else, until it is called off.
func (p *page) first(js string) (off func()) {
	p.t.Helper()
	r, err := cdp.Call(p.ctx, browser.AddScriptToEvaluateOnNewDocument,
		browser.AddScriptToEvaluateOnNewDocumentParams{Source: js})
	if err != nil {
		p.t.Fatal(err)
	}
	return func() {
		p.t.Helper()
		if _, err := cdp.Call(p.ctx, browser.RemoveScriptToEvaluateOnNewDocument,
			browser.RemoveScriptToEvaluateOnNewDocumentParams(r)); err != nil {
			p.t.Fatal(err)
		}
	}
}

func (p *page) picture(file string) {
	p.t.Helper()
	p.do("settle", cdp.Func(func(ctx context.Context, _ *cdp.Target) error {
		_, err := cdp.Run(ctx, cdp.Evaluate[bool](`document.fonts.ready.then(() => true)`, cdp.EvalAwaitPromise))
		return err
	}))
	png, err := cdp.Run(p.ctx, cdp.CaptureScreenshot())
	if err == nil {
		err = os.WriteFile(file, png, 0o644)
	}
	if err != nil {
		p.t.Fatal(err)
	}
}

// signedIn opens the console of the demo that tests share, and signs in.
func signedIn(t *testing.T) *page { return signedInAt(t, theDemo(t)) }

// signedInAt opens a demo's console and signs in.
func signedInAt(t *testing.T, d *app.Demo) *page {
	t.Helper()
	p := &page{t: t, ctx: tab(t), base: d.URL}
	p.goTo("/")
	p.fill("textbox", "Name", d.Name)
	p.fill("textbox", "Password", d.Password)
	p.press("button", "Sign in")
	p.see("Overview")
	return p
}

// accessible runs axe on the page and fails on anything against WCAG 2.2 A and AA.
func (p *page) accessible() {
	p.t.Helper()
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		p.t.Fatal("axe-core is not installed: make web")
	}
	_, err = cdp.Run(p.ctx, cdp.Evaluate[bool](string(axe)+"; true"))
	if err != nil {
		p.t.Fatal(err)
	}
	out, err := cdp.Run(p.ctx, cdp.Evaluate[string](`axe.run(document, { resultTypes: ["violations"], runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"] }).then((r) =>
		r.violations.map((v) => v.id + ": " + v.help + "\n" + v.nodes.slice(0, 3).map((n) => "    " + n.html + "\n    " + n.failureSummary).join("\n")).join("\n"))`, cdp.EvalAwaitPromise))
	if err != nil {
		p.t.Fatal(err)
	}
	if out = strings.TrimSpace(out); out != "" {
		p.t.Errorf("not accessible:\n%s", out)
	}
}

// eval gives the text of an expression.
func (p *page) eval(js string) string {
	p.t.Helper()
	out, err := cdp.Run(p.ctx, cdp.Evaluate[string]("String("+js+")"))
	if err != nil {
		p.t.Fatal(js, err)
	}
	return out
}

func focus(sel string) cdp.Action[cdp.Void] { return cdp.Focus(cdp.CSS(sel)) }

// clear empties an input as a person does: all of it chosen, then deleted.
func (p *page) clear(role, name string) {
	p.t.Helper()
	sel := p.find(role, name)
	p.do("clear "+name, focus(sel))
	p.eval("document.querySelector(" + quote(sel) + ").select()")
	p.keys(kb.Backspace)
}

// until waits for an expression to be true.
func (p *page) until(js string) {
	p.t.Helper()
	if err := p.poll(js); err != nil {
		p.t.Fatalf("%s: %v", js, err)
	}
}
