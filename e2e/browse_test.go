package e2e

// This file drives a headless Chromium and the program under it, for the browser
// tests and for the pictures of the docs.

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Browser is the name of the program that is driven.
const Browser = "chromium"

// Step is one thing done in the browser.
type Step = chromedp.Action[chromedp.Void]

// Installed reports whether there is a browser to drive.
func Installed() bool {
	_, err := exec.LookPath(Browser)
	return err == nil
}

// Open starts a browser of its own with a window of width by height. The
// returned func ends it.
func Open(width, height int) (context.Context, func(), error) {
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(Browser), chromedp.NoSandbox, chromedp.DisableGPU, chromedp.WindowSize(width, height),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true), chromedp.Flag("disable-quic", true), chromedp.Flag("ignore-certificate-errors", true),
	)
	allocator, endAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, endTab := chromedp.NewContext(allocator)
	// The browser lives as long as the context of its first step.
	err := chromedp.Do(ctx, chromedp.EmulateViewport(int64(width), int64(height)))
	return ctx, func() { endTab(); endAllocator() }, err
}

// Tab opens a second window of the same browser.
func Tab(ctx context.Context) (context.Context, func(), error) {
	tab, end := chromedp.NewContext(ctx)
	return tab, end, chromedp.Do(tab, chromedp.Sleep(0))
}

// Program is a running vestpin.
type Program struct {
	URL string
	cmd *exec.Cmd
}

// Start runs the built program and waits until it says where it listens.
func Start(binary string, args ...string) (*Program, error) {
	cmd := exec.Command(binary, args...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	_, url, ok := strings.Cut(strings.TrimSpace(line), "at ")
	if err != nil || !ok {
		cmd.Process.Kill()
		return nil, fmt.Errorf("%s %v did not start: %q %v", binary, args, line, errors.Join(err, cmd.Wait()))
	}
	return &Program{strings.TrimSuffix(url, "/"), cmd}, nil
}

// Stop asks the program to end, as Ctrl-C does, and gives how it ended.
func (p *Program) Stop() error {
	if err := p.cmd.Process.Signal(syscall.SIGINT); err != nil {
		return err
	}
	return p.cmd.Wait()
}

// Kill ends the program at once.
func (p *Program) Kill() { p.cmd.Process.Kill(); p.cmd.Wait() }

// Wait waits until a JavaScript expression is true, 15 seconds at most, also
// across a page that is left for another.
func Wait(expression string) Step {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		var last error
		for end := time.Now().Add(15 * time.Second); time.Now().Before(end); {
			ok, err := chromedp.Evaluate[bool]("Boolean("+expression+")")(ctx, t)
			if ok {
				return nil
			}
			last = err
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(20 * time.Millisecond):
			}
		}
		return fmt.Errorf("waited in vain for %s (%v)", expression, last)
	})
}

// Sees waits until the text is shown.
func Sees(text string) Step { return Wait(fmt.Sprintf("document.body.innerText.includes(%q)", text)) }

// Press presses the button or link with that text or label. An item of a menu is gone to by the
// arrow keys: where it stands changes while the menu opens.
func Press(label string) Step {
	return chromedp.Steps(
		Wait(fmt.Sprintf(`(() => { %s; const el = find(%q); return Boolean(el) && !el.disabled && el.getAttribute("aria-disabled") !== "true" && (!item(el) || Boolean(document.activeElement.closest("[role=menu]")?.contains(el))) })()`, finder, label)),
		chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
			for end := time.Now().Add(15 * time.Second); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
				is, err := chromedp.Evaluate[string](fmt.Sprintf(`(() => { %s; const el = find(%q);
					if (!el) return "gone";
					if (item(el) && !el.hasAttribute("data-highlighted")) return "elsewhere";
					el.scrollIntoView({block: "nearest"}); el.click(); return "pressed" })()`, finder, label))(ctx, t)
				if err != nil || is == "pressed" {
					return err
				}
				if is == "elsewhere" {
					if _, err := Keys(kb.ArrowDown)(ctx, t); err != nil {
						return err
					}
				}
			}
			return fmt.Errorf("%s cannot be pressed", label)
		}),
	)
}

// finder finds the first control whose text or label starts with a text.
const finder = `const find = (want) => [...document.querySelectorAll("[role=menu][data-state=open] [role^=menuitem], [role$=dialog] button, [role$=dialog] a")].concat([...document.querySelectorAll("button, a, [role=button], [role=checkbox], [role=menuitem], [data-segment]")])
  .find((el) => (el.getAttribute("aria-label") || el.innerText || "").trim().startsWith(want));
const item = (el) => el.getAttribute("role")?.startsWith("menuitem")`

// Fill types into the field with that label, in place of what stands there. A dialog that has
// just opened takes the focus first.
func Fill(label, text string) Step {
	return chromedp.Steps(
		Wait(fmt.Sprintf(`(() => { %s; const el = field(%q); const dialog = el?.closest("[role$=dialog]"); if (!el || dialog && !dialog.contains(document.activeElement)) return false; el.focus(); el.select?.(); return document.activeElement === el })()`, fields, label)),
		chromedp.KeyEvent(text),
	)
}

const fields = `const field = (want) => {
  const scope = document.querySelector("[role$=dialog]") || document;
  const byLabel = [...scope.querySelectorAll("label")].find((l) => l.innerText.trim().startsWith(want));
  return (byLabel && document.getElementById(byLabel.htmlFor)) || [...scope.querySelectorAll("input, textarea, select")].find((el) => (el.getAttribute("aria-label") || "").startsWith(want));
}`

// SetText puts a long text into the field with that label, as pasting does.
func SetText(label, text string) Step {
	return chromedp.Steps(
		Wait(fmt.Sprintf(`(() => { %s; return Boolean(field(%q)) })()`, fields, label)),
		chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`(() => { %s; const el = field(%q);
			Object.getOwnPropertyDescriptor(Object.getPrototypeOf(el), "value").set.call(el, %q);
			el.dispatchEvent(new Event("input", {bubbles: true})) })()`, fields, label, text)),
	)
}

// Choose picks an option of the select with that label.
func Choose(label, value string) Step {
	return chromedp.Steps(
		Wait(fmt.Sprintf(`(() => { %s; return Boolean(field(%q)) })()`, fields, label)),
		chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`(() => { %s; const el = field(%q);
			Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(el, %q);
			el.dispatchEvent(new Event("change", {bubbles: true})) })()`, fields, label, value)),
	)
}

// Keys presses keys one after the other.
func Keys(keys string) Step { return chromedp.KeyEvent(keys) }

// Ctrl presses a key together with Ctrl.
func Ctrl(key string) Step { return chromedp.KeyEvent(key, chromedp.KeyModifiers(kb.ModifierCtrl)) }

// Settled waits until fonts are there and nothing is asked of the server.
var Settled = chromedp.Steps(
	Wait(`document.fonts.status === "loaded" && !document.querySelector("main [role=status]:not([data-notice])")?.innerText.includes("…")`),
	chromedp.Sleep(150*time.Millisecond),
)

// Drag presses the mouse on the middle of one element and lets it go at a point
// that a JavaScript expression gives as [x, y].
func Drag(selector, to string) Step {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		var points [2][]float64
		for i, expression := range []string{
			fmt.Sprintf(`(() => { const el = document.querySelector(%q); el.scrollIntoView({block: "center"}); const r = el.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`, selector),
			to,
		} {
			p, err := chromedp.Evaluate[[]float64](expression)(ctx, t)
			if err != nil || len(p) != 2 {
				return fmt.Errorf("dragging %s: %v %w", selector, p, err)
			}
			points[i] = p
		}
		from, end := points[0], points[1]
		steps := []Step{chromedp.MouseEvent("mouseMoved", from[0], from[1]), chromedp.MouseEvent("mousePressed", from[0], from[1], chromedp.ButtonLeft, chromedp.ClickCount(1))}
		for i := 1; i <= 8; i++ {
			f := float64(i) / 8
			steps = append(steps, chromedp.MouseEvent("mouseMoved", from[0]+(end[0]-from[0])*f, from[1]+(end[1]-from[1])*f, chromedp.ButtonLeft), chromedp.Sleep(20*time.Millisecond))
		}
		steps = append(steps, chromedp.MouseEvent("mouseReleased", end[0], end[1], chromedp.ButtonLeft, chromedp.ClickCount(1)))
		_, err := chromedp.Steps(steps...)(ctx, t)
		return err
	})
}

// TabTo presses Tab until the control with that label has the focus.
func TabTo(label string) Step {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		at := `(() => { const el = document.activeElement; const l = el.labels?.[0]?.innerText || el.getAttribute("aria-label") || el.innerText || ""; return l.trim() })()`
		passed := []string{}
		for range 150 {
			if _, err := chromedp.KeyEvent(kb.Tab)(ctx, t); err != nil {
				return err
			}
			text, err := chromedp.Evaluate[string](at)(ctx, t)
			if err != nil {
				return err
			}
			if strings.HasPrefix(text, label) {
				return nil
			}
			passed = append(passed, strings.ReplaceAll(text, "\n", " "))
		}
		return fmt.Errorf("no way by Tab to %q, only to %q", label, passed)
	})
}
