"""Run in an upgraded house's shell: what the rows of the first release have become."""

from deliveries.models import Delivery
from deliveries.ordering import proofs
from django.contrib.auth.models import User
from fixes.models import Fix
from jobs.models import Member

row = Delivery.objects.get()
print(
    [piece["what"] for piece in row.pieces], [one.changed_inside for one in proofs(row)], row.words["clip"], row.folder
)
roles = sorted((member.person.username, member.role) for member in Member.objects.all())
print(roles, [person.username for person in User.objects.filter(is_staff=True)])
print(Fix.objects.get().document["name"])
