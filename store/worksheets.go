package store

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"readymargin/core/access"
	"readymargin/school"
)

func (s *Store) AddWorksheet(ctx context.Context, w *school.Worksheet, pages []school.WorksheetPage) error {
	return s.inTx(ctx, func(tx *gorm.DB) error {
		w.ID = 0
		if err := tx.Create(w).Error; err != nil {
			return err
		}
		for i := range pages {
			pages[i].WorksheetID = w.ID
		}
		return tx.CreateInBatches(pages, 20).Error
	})
}

func (s *Store) Worksheet(ctx context.Context, id uint64) (school.Worksheet, error) {
	return first[school.Worksheet](s.db.WithContext(ctx), "id = ?", id)
}

func (s *Store) WorksheetsOf(ctx context.Context, owner uint64) ([]school.Worksheet, error) {
	return all[school.Worksheet](s.db.WithContext(ctx).Where("owner_id = ?", owner).Order("id DESC"))
}

func (s *Store) WorksheetPages(ctx context.Context, id uint64) ([]school.WorksheetPage, error) {
	return all[school.WorksheetPage](s.db.WithContext(ctx).Omit("print").Where("worksheet_id = ?", id).Order("number"))
}

func (s *Store) WorksheetPage(ctx context.Context, id uint64, number int) (school.WorksheetPage, error) {
	return first[school.WorksheetPage](s.db.WithContext(ctx), "worksheet_id = ? AND number = ?", id, number)
}

func (s *Store) WorksheetRole(ctx context.Context, worksheet, person uint64) (access.Role, error) {
	var roles []access.Role
	err := s.db.WithContext(ctx).Table("assignments").
		Joins("JOIN memberships ON memberships.course_id = assignments.course_id").
		Where("worksheet_id = ? AND person_id = ? AND role IN ?", worksheet, person, []access.Role{access.Student, access.Teacher}).
		Order("role DESC").Limit(1).Pluck("role", &roles).Error
	if err != nil || len(roles) == 0 {
		return access.None, err
	}
	return roles[0], nil
}

// picture is a row of pictures.
type picture struct {
	FileHash  string
	Page      int
	Scale     int
	BlobHash  string
	MediaType string
}

func (s *Store) Picture(ctx context.Context, file string, page, scale int) (hash, mediaType string, err error) {
	p, err := first[picture](s.db.WithContext(ctx), "file_hash = ? AND page = ? AND scale = ?", file, page, scale)
	return p.BlobHash, p.MediaType, err
}

func (s *Store) SetPicture(ctx context.Context, file string, page, scale int, hash, mediaType string) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).
		Create(&picture{file, page, scale, hash, mediaType}).Error
}
