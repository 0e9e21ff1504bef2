#pragma once
#include <halvo/types.hpp>

/// From now on an interrupt ends the command with its own line and code: at once, or when a stage asks. The first thing a command does.
void catch_signals();

/// Reports to standard error when it is a terminal and `quiet` is off; cancels once a stop was asked for (Ctrl-C).
halvo::Observer terminal_observer(bool quiet);
/// Ends the progress line, if there is one.
void end_progress();
/// From here on nothing interrupts: results are being put in place, which takes a moment and must not stop half-way.
void hold_signals();
