package light

import "visator/core/unit"

// Spot is a place on the earth to choose.
type Spot struct {
	Name      string  `json:"name"`
	Latitude  float64 `json:"latitude"`  // radians, north positive
	Longitude float64 `json:"longitude"` // radians, east positive
	Zone      float64 `json:"zone"`      // hours that its clock is before universal time, without summer time
}

// Places are some towns from north to south, to a tenth of a degree (memory), with the time that their clocks keep in
// winter: enough to be near anywhere that many people build.
func Places() []Spot {
	var list []Spot
	for _, p := range []struct {
		name           string
		lat, lon, zone float64
	}{
		{"Tromsø", 69.6, 19.0, 1}, {"Reykjavík", 64.1, -21.9, 0}, {"Helsinki", 60.2, 24.9, 2},
		{"Edinburgh", 56.0, -3.2, 0}, {"Copenhagen", 55.7, 12.6, 1}, {"Berlin", 52.5, 13.4, 1},
		{"London", 51.5, -0.1, 0}, {"Vancouver", 49.3, -123.1, -8}, {"Paris", 48.9, 2.4, 1},
		{"Vienna", 48.2, 16.4, 1}, {"Zürich", 47.4, 8.5, 1}, {"Venice", 45.4, 12.3, 1},
		{"Sapporo", 43.1, 141.4, 9}, {"Rome", 41.9, 12.5, 1}, {"Chicago", 41.9, -87.6, -6},
		{"New York", 40.7, -74.0, -5}, {"Beijing", 39.9, 116.4, 8}, {"Lisbon", 38.7, -9.1, 0},
		{"San Francisco", 37.8, -122.4, -8}, {"Tokyo", 35.7, 139.7, 9}, {"Casablanca", 33.6, -7.6, 0},
		{"Jerusalem", 31.8, 35.2, 2}, {"Cairo", 30.0, 31.2, 2}, {"Delhi", 28.6, 77.2, 5.5},
		{"Hong Kong", 22.3, 114.2, 8}, {"Mexico City", 19.4, -99.1, -6}, {"Dakar", 14.7, -17.4, 0},
		{"Singapore", 1.4, 103.8, 8}, {"Nairobi", -1.3, 36.8, 3}, {"Lima", -12.0, -77.0, -5},
		{"Rio de Janeiro", -22.9, -43.2, -3}, {"Johannesburg", -26.2, 28.0, 2}, {"Sydney", -33.9, 151.2, 10},
		{"Cape Town", -33.9, 18.4, 2}, {"Buenos Aires", -34.6, -58.4, -3}, {"Auckland", -36.8, 174.8, 12},
		{"Ushuaia", -54.8, -68.3, -3},
	} {
		list = append(list, Spot{p.name, unit.Radians(p.lat), unit.Radians(p.lon), p.zone})
	}
	return list
}
