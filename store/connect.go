package store

import (
	"cmp"
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"
)

// How long a connection to the database may take, and any answer of it; of several servers one that does not answer is
// left sooner.
const (
	dialLimit   = 5 * time.Second
	answerLimit = 60 * time.Second
	manyDial    = 1500 * time.Millisecond
	manyAnswer  = 10 * time.Second
)

// manyHosts is the part of a DSN that names several servers.
var manyHosts = regexp.MustCompile(`@tcp\(([^()]*,[^()]*)\)/`)

// A connector connects to whichever of several servers is part of the database.
type connector struct {
	list []driver.Connector
	at   atomic.Int64 // that was last
}

// connectorOf connects by a DSN; addr is where, for people, and several tells whether those are servers of one
// database.
func connectorOf(ctx context.Context, dsn string) (c *connector, addr string, several bool, err error) {
	hosts := []string{""}
	if m := manyHosts.FindStringSubmatch(dsn); m != nil {
		hosts = strings.Split(m[1], ",")
		dsn = strings.Replace(dsn, m[1], "HOST", 1)
	}
	c = new(connector)
	config := func(host string, params map[string]string) (*mysql.Config, error) {
		q, err := mysql.ParseDSN(strings.Replace(dsn, "HOST", strings.TrimSpace(host), 1))
		if err != nil {
			return nil, fmt.Errorf("the DSN of the database cannot be read: %w", err)
		}
		if q.DBName == "" {
			return nil, errors.New("the DSN names no database; it should end in /NAME")
		}
		q.ParseTime, q.Loc, q.InterpolateParams, q.Logger = true, time.UTC, true, &mysql.NopLogger{}
		q.Collation = "utf8mb4_bin"
		if q.Params == nil {
			q.Params = map[string]string{}
		}
		// A database that has gone without a word is not waited for for ever.
		dial, answer := dialLimit, answerLimit
		if len(hosts) > 1 {
			dial, answer = manyDial, manyAnswer
		}
		q.Timeout = cmp.Or(q.Timeout, dial)
		q.ReadTimeout, q.WriteTimeout = cmp.Or(q.ReadTimeout, answer), cmp.Or(q.WriteTimeout, answer)
		q.Params["time_zone"] = "'+00:00'"
		q.Params["sql_mode"] = "'STRICT_ALL_TABLES'"
		for k, v := range params {
			q.Params[k] = v
		}
		return q, nil
	}
	fill := func(params map[string]string) error {
		c.list = nil
		for _, host := range hosts {
			q, err := config(host, params)
			if err != nil {
				return err
			}
			one, err := mysql.NewConnector(q)
			if err != nil {
				return err
			}
			c.list, addr = append(c.list, one), q.Addr
		}
		return nil
	}
	if err := fill(nil); err != nil {
		return nil, "", false, err
	}
	if len(hosts) > 1 {
		addr = strings.Join(hosts, ", ")
	}
	several, err = isCluster(ctx, c)
	if err == nil && several {
		// What one process was told is kept, the next is to see, whichever server it asks.
		err = fill(map[string]string{"wsrep_sync_wait": "1"})
	}
	return c, addr, several, err
}

// isCluster tells whether a database is several servers that share what they are told; a server that does not answer is
// taken for none, and whoever uses it is told.
func isCluster(ctx context.Context, c *connector) (bool, error) {
	db := sql.OpenDB(c)
	defer db.Close()
	var name, is string
	err := db.QueryRowContext(ctx, "SHOW VARIABLES LIKE 'wsrep_on'").Scan(&name, &is)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		var refused *mysql.MySQLError
		if errors.As(err, &refused) || len(c.list) > 1 {
			return false, fmt.Errorf("the database cannot be used: %w", plain(err))
		}
		return false, nil
	}
	return is == "ON", nil
}

// Driver is that of one server.
func (c *connector) Driver() driver.Driver { return c.list[0].Driver() }

// Connect connects to the server that was used last, or, if it is not part of the database, to the next that is.
func (c *connector) Connect(ctx context.Context) (driver.Conn, error) {
	if len(c.list) == 1 {
		return c.list[0].Connect(ctx)
	}
	first := c.at.Load()
	var failed error
	for i := range len(c.list) {
		n := (int(first) + i) % len(c.list)
		conn, err := c.list[n].Connect(ctx)
		if err == nil {
			if err = answers(ctx, conn); err == nil {
				c.at.Store(int64(n))
				return conn, nil
			}
			conn.Close()
		}
		failed = cmp.Or(failed, err)
	}
	return nil, failed
}

// answers tells whether the server of a connection is part of the database: one that is not refuses all questions.
func answers(ctx context.Context, conn driver.Conn) error {
	rows, err := conn.(driver.QueryerContext).QueryContext(ctx, "SELECT 1", nil)
	if err != nil {
		return err
	}
	defer rows.Close()
	if err := rows.Next(make([]driver.Value, 1)); err != nil && err != io.EOF {
		return err
	}
	return nil
}
