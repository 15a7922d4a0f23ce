package fleet

// What the tests see of the lines about a change of the rules.
var RuleLines = ruleLines

const (
	RuleLine      = ruleLine
	MostRuleLines = mostRuleLines
)
