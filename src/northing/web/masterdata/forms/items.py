"""Forms of an item."""

from northing.web.common.forms import ActionForm, ExactField


class DelayForm(ActionForm):
    """Holds what a day's delay of an item costs."""

    cost = ExactField(label="A day without it costs, in base currency")
