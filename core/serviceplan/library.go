package serviceplan

// Library is service plans to start from, for a register that has none yet: patterns of intervals that are met, common
// practice. The maker's manual overrules them.
var Library = []Plan{
	{Name: "Car, long-life coolant", First: Interval{Months: 72, Km: 160_000}, Later: Interval{Months: 36, Km: 80_000}, FreezeMargin: 3, Replaced: 0.6, Strategy: FixedInterval, TestMonths: 12, CapMonths: 24, HoseMonths: 12, FollowDays: 3},
	{Name: "Car, conventional coolant", First: Interval{Months: 24, Km: 48_000}, Later: Interval{Months: 24, Km: 48_000}, FreezeMargin: 3, Replaced: 0.6, Strategy: FixedInterval, TestMonths: 12, CapMonths: 24, HoseMonths: 12, FollowDays: 3},
	{Name: "Sealed fill, as a precaution", First: Interval{Months: 60}, Later: Interval{Months: 24, Km: 30_000}, FreezeMargin: 3, Replaced: 0.6, Strategy: SealedForLife, TestMonths: 12, CapMonths: 24, HoseMonths: 12, FollowDays: 3},
	{Name: "Heavy truck", First: Interval{Months: 48, Km: 500_000, Hours: 6_000}, Later: Interval{Months: 36, Km: 240_000, Hours: 4_000}, FreezeMargin: 3, Replaced: 0.6, Strategy: ConditionBased, TestMonths: 6, CapMonths: 12, HoseMonths: 12, FollowDays: 3},
	{Name: "Motorcycle", First: Interval{Months: 36, Km: 38_000}, Later: Interval{Months: 36, Km: 13_000}, FreezeMargin: 3, Replaced: 0.6, Strategy: FixedInterval, TestMonths: 12, CapMonths: 24, HoseMonths: 12, FollowRuns: 2},
	{Name: "Boat diesel with heat exchanger", First: Interval{Months: 24, Hours: 1_000}, Later: Interval{Months: 24, Hours: 1_000}, FreezeMargin: 3, Replaced: 0.6, Strategy: FixedInterval, TestMonths: 12, CapMonths: 24, HoseMonths: 12, FollowRuns: 2,
		Parts: []PartInterval{{"impeller", Interval{Months: 12, Hours: 400}}, {"anodes", Interval{Months: 12}}, {"heat_exchanger", Interval{Months: 24}}, {"anti_siphon", Interval{Months: 24}}}},
	{Name: "Light aircraft", First: Interval{Months: 24, Hours: 200}, Later: Interval{Months: 24, Hours: 200}, FreezeMargin: 5, Replaced: 0.6, Strategy: ConditionBased, TestMonths: 6, CapMonths: 24, HoseYears: 5, FollowRuns: 2,
		Parts: []PartInterval{{PartInspection, Interval{Months: 12, Hours: 100}}}},
}
