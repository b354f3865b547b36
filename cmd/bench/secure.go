package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// secure measures one file down over TLS that we end ourselves, against nginx with the same certificate.
func (b *benchmark) secure(context.Context) ([]figure, error) {
	ours, err := b.overTLS()
	if err != nil {
		return nil, err
	}
	theirs, err := b.secureNginx(b.certificate())
	if err != nil {
		return nil, err
	}
	var figures []figure
	for _, protocol := range []struct{ name, flag string }{{"HTTP/1.1", "--http1.1"}, {"HTTP/2", "--http2"}} {
		down := func(url string) func() (float64, error) {
			return func() (float64, error) {
				began := time.Now()
				out, err := exec.Command("curl", "-sSk", "--fail", protocol.flag, "-o", "/dev/null", url).CombinedOutput()
				if err != nil {
					return 0, fmt.Errorf("curl: %w %s", err, out)
				}
				return float64(b.size) / 1e9 / time.Since(began).Seconds(), nil
			}
		}
		x, y, err := pair(down("https://"+ours.address+b.large.take), down("https://"+theirs+"/large"))
		if err != nil {
			return nil, err
		}
		ratio := median(x) / median(y)
		figures = append(figures, figure{fmt.Sprintf("%d MiB down over our own TLS, %s", b.size>>20, protocol.name), "nginx, same certificate", "≥ 0.90",
			spread(x, "GB/s"), spread(y, "GB/s"), fmt.Sprintf("%.2f", ratio), verdict(ratio >= 0.9)})
	}
	return figures, nil
}

// certificate is where the certificate and its key lie with which TLS is measured.
func (b *benchmark) certificate() (cert, key string) {
	return filepath.Join(b.dir, "cert.pem"), filepath.Join(b.dir, "key.pem")
}

// A listener is a server of ours that is asked.
type listener struct {
	address string
	pid     int
	secure  bool
	framed  bool // it is asked over HTTP/2
}

// overTLS is a second server beside the first that ends TLS itself. It is started once.
func (b *benchmark) overTLS() (listener, error) {
	if b.tls.secure {
		return b.tls, nil
	}
	cert, key := b.certificate()
	if out, err := exec.Command("openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:P-256", "-nodes", "-days", "2",
		"-subj", "/CN=localhost", "-keyout", key, "-out", cert).CombinedOutput(); err != nil {
		return listener{}, fmt.Errorf("openssl: %w: %s", err, out)
	}
	address, err := freeAddress()
	if err != nil {
		return listener{}, err
	}
	cmd, err := b.child(address, []string{"AFTERGUST_ADDR=" + address, "AFTERGUST_DATABASE_URL=" + b.pg.URL("bench"),
		"AFTERGUST_BLOBS=" + filepath.Join(b.dir, "blobs"), "AFTERGUST_SMTP_URL=smtp://127.0.0.1:9", "AFTERGUST_MAIL_FROM=bench@lowtide.example",
		"AFTERGUST_SECRET=" + strings.Repeat("b", 40), "AFTERGUST_LOG=error", "AFTERGUST_WORK=false", "AFTERGUST_BASE_URL=https://" + address,
		"AFTERGUST_TLS_CERT=" + cert, "AFTERGUST_TLS_KEY=" + key}, program, "serve")
	if err != nil {
		return listener{}, err
	}
	b.tls = listener{address: address, pid: cmd.Process.Pid, secure: true}
	return b.tls, nil
}

func (b *benchmark) secureNginx(cert, key string) (address string, err error) {
	if address, err = freeAddress(); err != nil {
		return "", err
	}
	config := filepath.Join(b.dir, "nginx-tls.conf")
	text := fmt.Sprintf(`daemon off; master_process off; pid %[1]s/nginx-tls.pid; error_log stderr error;
events { worker_connections 1024; }
http { access_log off; sendfile on; output_buffers 2 512k;
  client_body_temp_path %[1]s/t1; proxy_temp_path %[1]s/t2; fastcgi_temp_path %[1]s/t3; uwsgi_temp_path %[1]s/t4; scgi_temp_path %[1]s/t5;
  server { listen %[2]s ssl http2; ssl_certificate %[3]s; ssl_certificate_key %[4]s; ssl_protocols TLSv1.2 TLSv1.3; root %[1]s; } }`,
		b.dir, address, cert, key)
	if os.Getuid() == 0 {
		text = "user root;\n" + text
	}
	if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
		return "", err
	}
	_, err = b.child(address, nil, "/usr/sbin/nginx", "-c", config, "-e", "stderr")
	return address, err
}
