package demo

import (
	"math"

	"sakuji/core/mesh"
)

func v(x, y, z float64) mesh.Vec { return mesh.Vec{X: x, Y: y, Z: z} }

// model is a figure of the demo: how it is shaped and how finely it is carved.
type model struct {
	file      string
	shape     func() shape
	low, high mesh.Vec
	cell      float64
}

// carved returns the model as the bytes of an STL file.
func (m model) carved() []byte { return mesh.WriteSTL(carve(m.shape(), m.low, m.high, m.cell)) }

var (
	heron    = model{"heron-postmaster.stl", heronBust, v(-36, -62, -1), v(36, 40, 118), 1.15}
	satchel  = model{"letter-satchel.stl", letterSatchel, v(-24, -12, -1), v(24, 14, 44), 0.6}
	torso    = model{"frost-gardener-torso.stl", gardenerTorso, v(-62, -52, -1), v(62, 52, 176), 2}
	arms     = model{"frost-gardener-arms.stl", gardenerArms, v(-82, -26, -1), v(82, 30, 74), 1.6}
	snail    = model{"snail-courier.stl", snailCourier, v(-20, -10, -1), v(18, 10, 27), 0.42}
	lantern  = model{"seed-pod-lantern.stl", seedPodLantern, v(-33, -33, -1), v(33, 33, 86), 0.95}
	moth     = model{"orrery-moth.stl", orreryMoth, v(-58, -14, -1), v(58, 16, 62), 1.05}
	gear     = model{"orrery-gear.stl", orreryGear, v(-36, -36, -1), v(36, 36, 11), 0.75}
	kiosk    = model{"mushroom-kiosk.stl", mushroomKiosk, v(-62, -62, -1), v(62, 62, 134), 1.8}
	loom     = model{"cloud-loom-frame.stl", cloudLoom, v(-106, -36, -1), v(106, 36, 176), 2.4}
	allModel = []model{heron, satchel, torso, arms, snail, lantern, moth, gear, kiosk, loom}
)

// heronBust: a long-necked heron in a postmaster's coat and cap, on a plinth.
func heronBust() shape {
	neck := path(9, 6.5, v(0, 8, 34), v(0, 15, 52), v(0, 12, 68), v(0, 2, 80))
	head := join(3, egg(v(0, -3, 87), v(9, 13, 8.5)), limb(v(0, -12, 86), v(0, -56, 80), 4.6, 0.9))
	eyes := mirrored(ball(v(7.4, -9, 89.5), 2.3))
	crest := join(1, limb(v(0, 8, 90), v(0, 33, 84), 2.6, 1), limb(v(0, 7, 93), v(0, 30, 95), 2.2, 0.9))
	cap := join(0.8, drum(v(0, -2, 93), 10.5, 7), drum(v(0, -2, 99), 12.5, 5), egg(v(0, -13, 94.5), v(8.5, 7, 1.8)), ball(v(0, -13, 99), 2.4))
	coat := join(6, egg(v(0, 4, 24), v(29, 20, 22)), mirrored(egg(v(20, 4, 30), v(11, 12, 9))))
	lapel := join(1, mirrored(limb(v(4, -15, 42), v(12, -19, 16), 3, 2.4)), mirrored(limb(v(5, -11, 46), v(13, 10, 47), 4.2, 4.2)))
	strap := ring(v(0, 2, 26), v(0.8, 0.1, 0.9), 27, 2.1)
	buttons := join(0.3, ball(v(0, -16.5, 30), 1.9), ball(v(0, -17, 23), 1.9), ball(v(0, -16.6, 16), 1.9))
	plinth := join(1, drum(v(0, 2, 0), 27, 5), drum(v(0, 2, 5), 22, 4))
	return orientation(join(1.2, plinth, join(2.5, coat, neck), head, eyes, crest, cap, lapel, strap, buttons))
}

// letterSatchel: a bag that overflows with letters.
func letterSatchel() shape {
	bag := cut(block(v(0, 0, 13), v(19, 8, 13), 3), block(v(0, 0, 22), v(16.5, 5.5, 12), 1.5))
	flap := join(0.8, block(v(0, 8.2, 16), v(18, 1.6, 9), 1.2), ball(v(0, 9.6, 9), 1.8))
	var parts []shape
	parts = append(parts, bag, flap)
	for i, x := range []float64{-11, -6, 0, 5, 11} {
		tilt := float64(i-2) * 1.4
		parts = append(parts, limb(v(x, -2+float64(i%2)*3, 8), v(x+tilt, -2+float64(i%2)*3, 31+float64(i*7%5)*1.6), 1.9, 1.9),
			block(v(x+tilt*0.8, -1.5+float64(i%2)*3, 30+float64(i*7%5)*1.6), v(5, 0.9, 5), 0.5))
	}
	parts = append(parts, ring(v(0, 0, 24), v(0, 1, 0), 17, 1.5))
	return orientation(join(0.7, parts...))
}

// gardenerTorso: a broad gardener in a quilted coat, hung with icicles.
func gardenerTorso() shape {
	body := join(10, egg(v(0, 0, 46), v(46, 36, 48)), egg(v(0, 0, 96), v(38, 28, 34)))
	hood := cut(join(6, egg(v(0, 4, 140), v(23, 24, 27)), limb(v(0, 8, 162), v(0, 26, 170), 9, 3)), egg(v(0, -20, 138), v(14, 18, 17)))
	face := join(2, egg(v(0, -6, 138), v(13, 12, 15)), limb(v(0, -16, 138), v(0, -25, 133), 3.6, 2.2), mirrored(ball(v(5.4, -17, 142), 2.2)))
	beard := join(2, limb(v(0, -14, 126), v(0, -30, 98), 9, 2), mirrored(limb(v(7, -12, 127), v(11, -26, 106), 6, 1.6)))
	var parts []shape
	for i := range 9 { // icicles along the hem
		a := 2 * math.Pi * float64(i) / 9
		x, y := 43*math.Cos(a), 34*math.Sin(a)
		parts = append(parts, limb(v(x, y, 44), v(x*1.02, y*1.02, 12+float64(i%3)*7), 5, 1.2))
	}
	belt := func(p mesh.Vec) float64 {
		return math.Max(body(p)-3, math.Abs(p.Z-72)-5)
	}
	quilt := func(p mesh.Vec) float64 { // seams pressed into the coat
		return body(p) + 1.2*math.Pow(math.Abs(math.Sin(p.Z*math.Pi/19)), 12)
	}
	return orientation(join(2.5, quilt, belt, hood, face, beard, block(v(0, -32, 72), v(8, 5, 7), 2), join(2, parts...)))
}

// gardenerArms: both arms with mittens, one holding pruning shears.
func gardenerArms() shape {
	arm := mirrored(join(4, path(13, 9, v(34, 0, 14), v(56, 4, 30), v(66, -4, 52)), egg(v(67, -6, 60), v(9, 7, 11)), limb(v(60, -4, 56), v(54, -10, 60), 4, 3)))
	cuff := mirrored(ring(v(64, -2, 47), v(0.4, -0.3, 1), 9, 3.2))
	bar := limb(v(-34, 0, 14), v(34, 0, 14), 7, 7)
	shears := join(1, limb(v(68, -6, 60), v(76, -20, 70), 2.4, 1.8), limb(v(68, -6, 62), v(64, -22, 71), 2.4, 1.8), ball(v(69, -12, 65), 3))
	return orientation(join(3, arm, cuff, bar, shears))
}

// snailCourier: a snail with a spiral shell, letters under a strap.
func snailCourier() shape {
	foot := join(3, path(3.6, 3, v(-15, 0, 2.4), v(-4, 0, 3), v(7, 0, 4), v(12, 0, 9)), egg(v(0, 0, 1.6), v(15, 4.6, 2.4)))
	head := join(1.5, ball(v(13, 0, 11.5), 3.4), mirroredY(limb(v(13.6, 1.6, 13.5), v(15.6, 3.4, 20), 0.95, 0.75)), mirroredY(ball(v(15.7, 3.5, 20.4), 1.5)))
	var coil []mesh.Vec
	for i := range 26 {
		a := float64(i) * 0.46
		r := 9.6 * math.Exp(-0.085*float64(i))
		coil = append(coil, v(-3-r*math.Cos(a)*0.9, 0, 12+r*math.Sin(a)*0.92))
	}
	shell := path(5.6, 1.5, coil...)
	bag := join(0.4, block(v(-3, 5.2, 9), v(4.4, 1.6, 3), 0.7), block(v(-3, 6.9, 9.6), v(3.4, 0.5, 1.7), 0.3), block(v(-3, -5.2, 9), v(4.4, 1.6, 3), 0.7))
	strap := ring(v(-3, 0, 12), v(1, 0, 0), 6.8, 0.75)
	return orientation(join(0.5, join(1.6, foot, head), shell, bag, strap))
}

func mirroredY(s shape) shape {
	return func(p mesh.Vec) float64 { p.Y = math.Abs(p.Y); return s(p) }
}

// seedPodLantern: a ribbed pod, hollow, with windows and an open foot.
func seedPodLantern() shape {
	pod := func(p mesh.Vec) float64 {
		a := math.Atan2(p.Y, p.X)
		r := 27 * math.Pow(math.Max(0, math.Sin(math.Pi*math.Min(1, math.Max(0, (p.Z+6)/80)))), 0.62) * (1 + 0.07*math.Cos(8*a))
		return (math.Hypot(p.X, p.Y) - r) * 0.62
	}
	skin := func(p mesh.Vec) float64 { return math.Max(pod(p), -pod(p)-1.5) }
	var windows []shape
	for i := range 8 {
		a := 2*math.Pi*(float64(i)+0.5)/8 + 0
		windows = append(windows, egg(v(26*math.Cos(a), 26*math.Sin(a), 40), v(8, 8, 17)))
	}
	body := cut(skin, append(windows, drum(v(0, 0, -4), 15, 8))...)
	stalk := join(1.5, path(3.4, 2, v(0, 0, 70), v(2, 0, 78), v(7, 0, 82)), ring(v(9.5, 0, 80), v(0, 1, 0), 3.6, 1.4), egg(v(0, 0, 71), v(8, 8, 3)))
	foot := cut(drum(v(0, 0, 0), 19, 4), drum(v(0, 0, -1), 15, 6))
	return orientation(join(1, body, stalk, foot))
}

// orreryMoth: a moth with veined wings on a rod.
func orreryMoth() shape {
	body := join(2, egg(v(0, 0, 34), v(6, 6, 10)), egg(v(0, 1, 18), v(5, 5, 13)), ball(v(0, -2, 47), 5))
	wing := func(p mesh.Vec) float64 {
		upper := egg(v(30, 3+p.X*0.06, 42), v(27, 2.2, 16))
		lower := egg(v(22, 3+p.X*0.06, 18), v(19, 2.0, 13))
		return math.Min(upper(p), lower(p))
	}
	veins := join(0.8, limb(v(4, 1, 38), v(52, 5, 52), 1.7, 1), limb(v(4, 1, 36), v(54, 5, 40), 1.6, 1), limb(v(4, 1, 32), v(40, 4, 26), 1.5, 0.9), limb(v(4, 1, 28), v(34, 4, 10), 1.5, 0.9))
	spots := join(0.5, ring(v(38, 3.4, 44), v(0, 1, 0), 5, 1.3), ring(v(24, 2.6, 17), v(0, 1, 0), 3.6, 1.1))
	feelers := mirrored(path(1.3, 0.8, v(2, -4, 50), v(7, -8, 56), v(14, -9, 60)))
	rod := join(1, limb(v(0, 2, 0), v(0, 2, 12), 2.6, 2.6), drum(v(0, 2, 0), 9, 3))
	return orientation(join(1.2, body, mirrored(join(0.9, wing, veins, spots)), feelers, rod))
}

// orreryGear: a toothed wheel with five arms.
func orreryGear() shape {
	return orientation(func(p mesh.Vec) float64 {
		r, a := math.Hypot(p.X, p.Y), math.Atan2(p.Y, p.X)
		tooth := 31.5 + 2.2*math.Max(-0.8, math.Min(0.8, 1.6*math.Cos(28*a)))
		rim := math.Max((r-tooth)*0.7, 24-r)
		arm := math.Max(math.Abs(math.Sin(a*2.5))*r*0.4-2.2, r-26)
		hub := math.Max(r-9, 3-r)
		flat := math.Max(math.Min(rim, math.Max(arm, 3-r)), p.Z-5)
		return math.Max(math.Min(flat, math.Max(hub, p.Z-9)), -p.Z)
	})
}

// mushroomKiosk: a market stall under a mushroom cap, with a counter and a door.
func mushroomKiosk() shape {
	stem := func(p mesh.Vec) float64 {
		return (math.Hypot(p.X, p.Y) - (30 + 6*math.Exp(-p.Z/14) - 0.06*p.Z)) * 0.9
	}
	room := func(p mesh.Vec) float64 { return math.Max(stem(p)+4, math.Max(4-p.Z, p.Z-80)) }
	walls := func(p mesh.Vec) float64 { return math.Max(stem(p), p.Z-88) }
	window := block(v(0, -32, 52), v(17, 14, 14), 4)
	door := join(0.5, block(v(32, 0, 22), v(12, 9, 22), 2), func(p mesh.Vec) float64 { return math.Hypot(p.Y, p.Z-42) + math.Max(0, 20-p.X) - 9 })
	dome := cut(egg(v(0, 0, 86), v(58, 58, 44)), func(p mesh.Vec) float64 { return math.Max(egg(v(0, 0, 78), v(52, 52, 30))(p), p.Z-85) }, block(v(0, 0, 40), v(90, 90, 42), 0.1))
	var warts []shape
	for i := range 11 {
		a, h := float64(i)*2.4, 20+float64(i*5%11)*2.1
		r := 58 * math.Sqrt(1-h*h/44/44)
		warts = append(warts, egg(v(r*math.Cos(a), r*math.Sin(a), 86+h), v(6.5, 6.5, 3.4)))
	}
	counter := block(v(0, -37, 36), v(21, 9, 2.4), 1.2)
	sign := join(0.5, block(v(0, -42, 77), v(15, 1.8, 5.5), 1), limb(v(-10, -41, 80), v(-10, -30, 88), 1.4, 1.4), limb(v(10, -41, 80), v(10, -30, 88), 1.4, 1.4))
	return orientation(join(1.5, cut(walls, room, window, door), dome, counter, sign, join(1, warts...)))
}

// cloudLoom: an arched frame crowned with clouds, threads of rods and a treadle.
func cloudLoom() shape {
	posts := mirrored(join(4, path(8, 6, v(78, 0, 4), v(82, 0, 60), v(66, 0, 112), v(30, 0, 136)), block(v(80, 0, 4), v(18, 26, 5), 3)))
	arch := limb(v(-32, 0, 136), v(32, 0, 136), 6, 6)
	var parts []shape
	for i, c := range []mesh.Vec{v(-44, 0, 140), v(-22, 4, 150), v(2, -2, 154), v(26, 3, 149), v(46, -1, 139), v(-8, 8, 144), v(14, -8, 146)} {
		parts = append(parts, ball(c, 13+float64(i%3)*2.4))
	}
	clouds := join(5, parts...)
	var threads []shape
	for i := -6; i <= 6; i++ {
		x := float64(i) * 9.5
		threads = append(threads, limb(v(x, 0, 30), v(x*0.55, 0, 140), 2.5, 2.5))
	}
	beam := join(2, limb(v(-80, 0, 30), v(80, 0, 30), 6.5, 6.5), mirrored(drumX(v(88, 0, 30), 15, 7)))
	shuttle := egg(v(14, -5, 66), v(19, 4.5, 4.5))
	return orientation(join(1.6, posts, arch, clouds, beam, shuttle, join(1, threads...)))
}

// drumX is a wheel that stands on edge, its axis along x.
func drumX(at mesh.Vec, r, h float64) shape {
	return func(p mesh.Vec) float64 {
		return drum(v(at.Z, at.Y, at.X-h/2), r, h)(v(p.Z, p.Y, p.X))
	}
}
