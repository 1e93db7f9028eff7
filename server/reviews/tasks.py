"""What versions need is not cleared with fixes that were taken away."""

from fixes.stack import kept_if

from reviews.versions import needs

kept_if(needs)
