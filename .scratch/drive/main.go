package main

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/chromedp/chromedp"
)

func main() {
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"), chromedp.NoSandbox, chromedp.Flag("disable-gpu", false), chromedp.Flag("use-angle", "swiftshader"), chromedp.Flag("enable-unsafe-swiftshader", true), chromedp.Flag("disable-dev-shm-usage", true))
	actx, c1 := chromedp.NewExecAllocator(context.Background(), opts...)
	defer c1()
	ctx, c2 := chromedp.NewContext(actx)
	defer c2()
	do := func(a ...chromedp.Action[chromedp.Void]) {
		if err := chromedp.Do(ctx, a...); err != nil {
			fmt.Println("ERR", err)
		}
	}
	ev := func(js string) any {
		v, err := chromedp.Run(ctx, chromedp.Evaluate[any](js))
		if err != nil {
			fmt.Println("ERR", err)
		}
		return v
	}
	until := func(js string) {
		for range 600 {
			if v, err := chromedp.Run(ctx, chromedp.Evaluate[bool]("Boolean("+js+")")); err == nil && v {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
		fmt.Println("VAIN", js)
	}
	do(chromedp.EmulateViewport(1280, 800))
	sc := bufio.NewScanner(os.Stdin)
	for sc.Scan() {
		cmd, arg, _ := strings.Cut(sc.Text(), " ")
		switch cmd {
		case "nav":
			do(chromedp.Navigate(arg))
		case "ready":
			until("document.documentElement.dataset.ready === 'yes'")
		case "eval":
			fmt.Println(ev(arg))
		case "until":
			until(arg)
		case "wait":
			d, _ := time.ParseDuration(arg)
			time.Sleep(d)
		case "click":
			until("document.querySelector(" + fmt.Sprintf("%q", arg) + ")")
			ev(fmt.Sprintf("document.querySelector(%q).click()", arg))
		case "press":
			ev(fmt.Sprintf("[...document.querySelectorAll('button,a,label')].find(e=>e.textContent.trim()===%q&&e.getClientRects().length).click()", arg))
		case "fill":
			l, t, _ := strings.Cut(arg, "|")
			ev(fmt.Sprintf("(e=>{e.focus();e.select()})([...document.querySelectorAll('input')].find(e=>e.getAttribute('aria-label')===%q&&e.getClientRects().length))", l))
			do(chromedp.KeyEvent(t), chromedp.KeyEvent("\r"))
		case "upload":
			f := strings.Fields(arg)
			do(chromedp.SetUploadFiles(f[0], f[1:]))
		case "shot":
			buf, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
			if err != nil {
				fmt.Println("ERR", err)
			}
			os.WriteFile(arg, buf, 0o644)
		}
	}
}
