module wendrik

go 1.26.0

require (
	github.com/agnivade/levenshtein v1.2.2
	github.com/aymanbagabas/go-udiff v0.4.1
	github.com/chromedp/cdproto v0.0.0-20250724212937-08a3db8b4327
	github.com/chromedp/chromedp v0.14.2
	github.com/creachadair/jrpc2 v1.3.6
	github.com/fsnotify/fsnotify v1.10.1
	github.com/google/nftables v0.3.0
	github.com/google/uuid v1.6.0
	github.com/jackc/pgx/v5 v5.12.0
	github.com/jedib0t/go-pretty/v6 v6.8.3
	github.com/mattn/go-shellwords v1.0.16
	github.com/miekg/dns v1.1.73
	github.com/santhosh-tekuri/jsonschema/v6 v6.0.3
	github.com/signintech/gopdf v0.33.0
	github.com/stretchr/testify v1.12.1
	github.com/vishvananda/netlink v1.3.1
	github.com/vishvananda/netns v0.0.5
	go.yaml.in/yaml/v4 v4.0.0
	golang.org/x/image v0.48.0
	golang.org/x/sys v0.50.0
	golang.org/x/term v0.47.0
	golang.org/x/text v0.44.0
	golang.org/x/time v0.16.0
	modernc.org/sqlite v1.62.0
)

require (
	github.com/chromedp/sysutil v1.1.0 // indirect
	github.com/creachadair/mds v0.31.0 // indirect
	github.com/dustin/go-humanize v1.1.0 // indirect
	github.com/go-json-experiment/json v0.0.0-20260213210345-44df1a37e875 // indirect
	github.com/gobwas/httphead v0.1.0 // indirect
	github.com/gobwas/pool v0.2.1 // indirect
	github.com/gobwas/ws v1.4.0 // indirect
	github.com/google/go-cmp v0.7.0 // indirect
	github.com/jackc/pgpassfile v1.0.0 // indirect
	github.com/jackc/pgservicefile v0.0.0-20240606120523-5a60cdf6a761 // indirect
	github.com/jackc/puddle/v2 v2.2.3 // indirect
	github.com/mattn/go-isatty v0.0.24 // indirect
	github.com/mattn/go-runewidth v0.0.16 // indirect
	github.com/mdlayher/netlink v1.7.3-0.20250113171957-fbb4dce95f42 // indirect
	github.com/mdlayher/socket v0.5.0 // indirect
	github.com/ncruces/go-strftime v1.1.0 // indirect
	github.com/phpdave11/gofpdi v1.0.14-0.20211212211723-1f10f9844311 // indirect
	github.com/pkg/errors v0.8.1 // indirect
	github.com/remyoudompheng/bigfft v0.0.0-20230129092748-24d4a6f8daec // indirect
	github.com/rivo/uniseg v0.4.7 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/net v0.57.0 // indirect
	golang.org/x/sync v0.25.0 // indirect
	modernc.org/libc v1.80.1 // indirect
	modernc.org/mathutil v1.7.1 // indirect
	modernc.org/memory v1.12.1 // indirect
)
