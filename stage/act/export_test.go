package act

// JogStage is which stage a jog is in after so long, for tests.
var JogStage = jogStage
