// A machine with some 250 readings.
#pragma once

#include "machine_tree.hpp"

namespace idlemeter::rig {

inline const Spec kLargeMachine{.kind = "large",
                                .name = "Brambling",
                                .processor = "Corvid 32",
                                .cores = 32,
                                .graphics = "Marl G9",
                                .integrated = "Marl I2",
                                .battery = true};

}  // namespace idlemeter::rig
