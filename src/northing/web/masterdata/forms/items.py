"""Forms of an item."""

from northing.web.common.forms import ActionForm, ExactField


class DelayForm(ActionForm):
    """The cost of a day's delay of an item."""

    cost = ExactField(label="A day without it costs, in base currency")
