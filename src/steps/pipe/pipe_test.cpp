#include "support/recipes.h"
