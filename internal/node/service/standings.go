package service

import (
	"context"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/board"
)

// standings tell lobbies how players stand on leaderboards.
type standings struct{ boards *board.Boards }

// Stand is as in hall.Boards.
func (s standings) Stand(ctx context.Context, book *rulebook.Book, player string) (out []step.Named, err error) {
	for _, x := range book.AtEntry() {
		r, err := board.Of(book, x.Name)
		if err != nil {
			return nil, err
		}
		page, err := s.boards.Read(ctx, r, &board.Query{Players: []string{player}, Limit: 1})
		if err != nil {
			return nil, err
		}
		for _, row := range page.Rows {
			out = append(out, step.Named{Name: x.Place.Name, Value: sheet.IntValue(x.Place.Type, row.Place)},
				step.Named{Name: x.Value.Name, Value: sheet.IntValue(x.Value.Type, row.Value)})
		}
	}
	return out, nil
}
