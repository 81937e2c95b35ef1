package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"net"

	mysql "github.com/go-sql-driver/mysql"
	mysqldialect "gorm.io/driver/mysql"

	"readymargin/school"
)

// A connector says school.ErrAway when the database cannot be reached, so
// that people are told that nothing is lost and not that something is broken.
type connector struct{ driver.Connector }

func (c connector) Connect(ctx context.Context) (driver.Conn, error) {
	conn, err := c.Connector.Connect(ctx)
	if ctx.Err() == nil {
		err = unreached(err)
	}
	return conn, err
}

// A dialect says the same of a connection that is lost in the middle.
type dialect struct{ mysqldialect.Dialector }

func (d dialect) Translate(err error) error { return unreached(d.Dialector.Translate(err)) }

func unreached(err error) error {
	if err == nil || errors.Is(err, school.ErrAway) || !away(err) {
		return err
	}
	return fmt.Errorf("%w: %w", school.ErrAway, err)
}

// away reports whether the server does not answer, has no connection left
// (1040, 1203), or is going down or coming up (1053, 1152, 1927).
func away(err error) bool {
	var line *net.OpError
	if errors.As(err, &line) || errors.Is(err, mysql.ErrInvalidConn) || errors.Is(err, driver.ErrBadConn) {
		return true
	}
	switch number(err) {
	case 1040, 1203, 1053, 1152, 1927:
		return true
	}
	return false
}
