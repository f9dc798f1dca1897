package app

import (
	"context"

	"blendseam/core/audit"
	"blendseam/core/audit/overs"
	"blendseam/core/mend"
	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/mend/roommatch"
	"blendseam/core/meter"
	"blendseam/media/scenefile"
)

// filePlans are the plans of a scene file, on all processors. Its seams are measured once.
type filePlans struct {
	*meter.Meter
	all []audit.Result
}

func plansOf(f *scenefile.File) *filePlans {
	return &filePlans{Meter: meter.NewMeter(f.Scene, f.Sources())}
}

func (p *filePlans) All(ctx context.Context) ([]audit.Result, error) {
	if p.all != nil {
		return p.all, nil
	}
	all, err := audit.All(ctx, p.Meter, 0)
	if err == nil {
		p.all = all
	}
	return all, err
}

func (p *filePlans) Loud(ctx context.Context) ([]overs.Place, error) {
	return overs.Find(ctx, p.Meter, 0)
}

func (p *filePlans) Mend(ctx context.Context, o mend.MendOptions) (*mend.Mending, error) {
	all, err := p.All(ctx)
	if err != nil {
		return nil, err
	}
	return mend.New(p.Meter).Mend(ctx, all, o)
}

func (p *filePlans) MatchRooms(ctx context.Context, o roommatch.Options) (*roommatch.Plan, error) {
	return mend.MatchRooms(ctx, p.Meter, o, 0)
}

func (p *filePlans) MatchLevels(ctx context.Context, o levelmatch.Options) (*levelmatch.Plan, error) {
	return levelmatch.NewPlan(ctx, p.Meter, o, 0)
}

func (p *filePlans) Intelligibility(
	ctx context.Context, o intelligibility.Options,
) (*intelligibility.Plan, error) {
	return intelligibility.NewPlan(ctx, p.Meter, o, 0)
}
