package school

import (
	"fmt"

	"readymargin/core/pagecode"
)

// PaperCode returns what the codes on a page of a copy say, but for their corner.
func (a Assignment) PaperCode(c Copy, page int) pagecode.Code {
	return pagecode.Code{Copy: c.ID, Page: page, Tag: pagecode.Tag(fmt.Sprintf("%d %d %d", a.CreatedAt.UnixMicro(), c.ID, c.StudentID))}
}
