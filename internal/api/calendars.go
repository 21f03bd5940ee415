package api

import (
	"context"

	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

func (s *Server) calendars() {
	get(s, "list-calendars", "/calendars", "The published calendars", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.CalendarInfo], error) {
		all, err := s.service.Calendars(ctx, who)
		return answer(s, all, err)
	})
	get(s, "show-calendar", "/calendars/{calendar}", "A year as a calendar has it: weeks, fiscal periods, holidays, named periods", []int{404, 422}, func(ctx context.Context, who identity.Actor, in *struct {
		Calendar string `path:"calendar" doc:"The calendar's name"`
		Year     int    `query:"year" doc:"The year, this one when left out" example:"2026"`
	},
	) (*response[wire.CalendarYear], error) {
		year, err := s.service.CalendarYear(ctx, who, in.Calendar, in.Year)
		return answer(s, year, err)
	})
}
