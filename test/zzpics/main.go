package main

import (
	"fmt"
	"os"
	"strings"
	"time"

	"urgentparrot.example/test/browser"
)

func main() {
	link := os.Args[1]
	b, err := browser.Start()
	if err != nil {
		panic(err)
	}
	defer b.Close()
	base := link[:strings.Index(link, "/sign-in")]
	p, err := b.Open(1280, 800, false)
	if err != nil {
		panic(err)
	}
	fmt.Println(p.Go(link), p.Await(`document.body.innerText.includes("What the bots did") || document.body.innerText.includes("Sign in")`))
	p.Click("Sign in", false)
	time.Sleep(2 * time.Second)
	shot := func(p *browser.Page, name string) {
		time.Sleep(700 * time.Millisecond)
		raw, err := p.Picture()
		if err != nil {
			fmt.Println(name, err)
			return
		}
		os.WriteFile("/tmp/x/"+name+".png", raw, 0o644)
		if e := p.Errors(); len(e) > 0 {
			fmt.Println(name, e)
		}
	}
	for _, a := range os.Args[2:] {
		parts := strings.Split(a, "|")
		w, h, dark := int64(1280), int64(800), false
		if strings.HasPrefix(parts[0], "tel-") {
			w, h = 390, 780
		}
		if strings.HasSuffix(parts[0], "-dark") {
			dark = true
		}
		q := p
		if w != 1280 || dark {
			q, _ = b.Open(w, h, dark)
		}
		addr := parts[1]
		if !strings.HasPrefix(addr, "http") {
			addr = base + addr
		}
		if err := q.Go(addr); err != nil {
			fmt.Println(parts[0], err)
		}
		time.Sleep(900 * time.Millisecond)
		for _, c := range parts[2:] {
			var err error
			switch {
			case strings.HasPrefix(c, "type:"):
				f := strings.SplitN(c[5:], "=>", 2)
				err = q.Type(f[0], f[1], false)
			case strings.HasPrefix(c, "do:"):
				err = q.Do(c[3:])
			case strings.HasPrefix(c, "key:"):
				err = q.Key(strings.ReplaceAll(c[4:], "ENTER", "\r"))
			default:
				err = q.Click(c, false)
			}
			if err != nil {
				fmt.Println(parts[0], c, err)
			}
			time.Sleep(800 * time.Millisecond)
		}
		shot(q, parts[0])
	}
}
