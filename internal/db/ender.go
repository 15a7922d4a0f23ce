package db

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/binary"
	"net"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// ender ends the statement of a connection that was given up. The driver closes the connection when the context of a statement
// ends, and the server goes on with the statement until it has something to send: one that nobody waits for would keep a
// processor busy for minutes.
type ender struct {
	admin *sql.DB
	mu    sync.Mutex
	work  sync.WaitGroup
	ended bool
}

// endWithin is how long the ending of a statement may take; after that the server's limit ends it.
const endWithin = 2 * time.Second

func newEnder(config *mysql.Config) (*ender, error) {
	config.InterpolateParams = true // KILL takes no parameter of a prepared statement
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, err
	}
	admin := sql.OpenDB(connector)
	admin.SetMaxOpenConns(2)
	admin.SetConnMaxIdleTime(time.Minute)
	return &ender{admin: admin}, nil
}

var networks sync.Map // Dial by the name of a network

// Dial finds a server of a network of its own.
type Dial func(ctx context.Context, address string) (net.Conn, error)

// RegisterNetwork under a name that data source names use.
func RegisterNetwork(name string, dial Dial) {
	networks.Store(name, dial)
	mysql.RegisterDialContext(name, mysql.DialContextFunc(dial))
}

func dialAs(ctx context.Context, network, address string) (net.Conn, error) {
	if dial, there := networks.Load(network); there {
		return dial.(Dial)(ctx, address)
	}
	var d net.Dialer
	return d.DialContext(ctx, network, address)
}

// close waits for what is under way.
func (e *ender) close() error {
	e.mu.Lock()
	e.ended = true
	e.mu.Unlock()
	e.work.Wait()
	return e.admin.Close()
}

func (e *ender) dial(ctx context.Context, network, address string) (net.Conn, error) {
	c, err := dialAs(ctx, network, address)
	if err != nil {
		return nil, err
	}
	w := &watched{Conn: c, ender: e}
	if system, ok := c.(syscall.Conn); ok {
		return struct {
			*watched
			syscall.Conn // lets the driver see whether the server closed a connection that is at rest
		}{w, system}, nil
	}
	return w, nil
}

// end the connection of an id at the server, if it is still that of the address here: behind a proxy the id may be another
// server's, and then the limit of the statement ends it.
func (e *ender) end(id uint32, host string) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.ended {
		return
	}
	e.work.Go(func() {
		ctx, cancel := context.WithTimeout(context.Background(), endWithin)
		defer cancel()
		var there uint32
		if err := e.admin.QueryRowContext(ctx, `SELECT ID FROM information_schema.PROCESSLIST WHERE ID = ? AND HOST = ? AND COMMAND <> 'Sleep'`, id, host).Scan(&there); err != nil {
			return // it ended by itself
		}
		_, _ = e.admin.ExecContext(ctx, `KILL ?`, there) // it may end meanwhile
	})
}

// watched is a connection that knows its id at the server, which the server's first packet names (protocol 10: header of 4 bytes,
// version, a text ended by zero, id of 4 bytes), and whether it was closed in the middle of an exchange.
type watched struct {
	net.Conn
	ender *ender

	mu      sync.Mutex
	greeted bool
	head    []byte
	id      uint32
	quit    bool
	closed  bool
}

const mostGreeting = 300

// comQuit is the packet of a driver that closes a connection which is at rest.
var comQuit = []byte{1, 0, 0, 0, 1}

func (w *watched) Read(b []byte) (int, error) {
	n, err := w.Conn.Read(b)
	w.mu.Lock()
	defer w.mu.Unlock()
	if !w.greeted {
		w.head = append(w.head, b[:n]...)
		w.greet()
	}
	return n, err
}

func (w *watched) greet() {
	if len(w.head) < 5 {
		return
	}
	version := bytes.IndexByte(w.head[5:], 0)
	switch at := 5 + version + 1; {
	case version < 0 && len(w.head) < mostGreeting:
		return
	case version >= 0 && len(w.head) < at+4:
		return
	case version >= 0:
		w.id = binary.LittleEndian.Uint32(w.head[at:])
	}
	w.greeted, w.head = true, nil
}

func (w *watched) Write(b []byte) (int, error) {
	w.mu.Lock()
	w.quit = bytes.Equal(b, comQuit)
	w.mu.Unlock()
	return w.Conn.Write(b)
}

func (w *watched) Close() error {
	w.mu.Lock()
	lost := !w.quit && !w.closed && w.id != 0
	w.closed = true
	w.mu.Unlock()
	host := w.LocalAddr().String()
	err := w.Conn.Close()
	if lost {
		w.ender.end(w.id, host)
	}
	return err
}
