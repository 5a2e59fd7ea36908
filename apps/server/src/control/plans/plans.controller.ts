import { Body, Controller, Delete, Get, Param, Patch, Post, Put, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { PlanInput, PlanList, PlanView, SubscriptionChanged, SubscriptionInput, SubscriptionPage, SubscriptionPatch, SubscriptionQuery } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { CalledBy, type Caller } from '../../session/access.guard.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { PlansService } from './plans.service.js';
import { SubscriptionsService } from './subscriptions.service.js';

@ApiTags('plans')
@Controller('control/v1/plans')
export class PlansController {
  constructor(private readonly plans: PlansService) {}

  @Get()
  @Endpoint({ summary: 'Plans of the draft, in the order in which they count', answer: PlanList })
  list(): Promise<PlanList> {
    return this.plans.list();
  }

  @Post()
  @Endpoint({ summary: 'Add a plan to the draft', body: PlanInput, answer: PlanView, status: 201 })
  add(@Body() input: PlanInput, @Edited() edited: EditedBy): Promise<PlanView> {
    return this.plans.add(input, edited);
  }

  @Get(':id')
  @Endpoint({ summary: 'One plan', answer: PlanView, errors: [404] })
  view(@Param('id') id: string): Promise<PlanView> {
    return this.plans.view(id);
  }

  @Put(':id')
  @Endpoint({ summary: 'Set a plan of the draft, whole', body: PlanInput, answer: PlanView, errors: [404, 412] })
  set(@Param('id') id: string, @Body() input: PlanInput, @Edited() edited: EditedBy): Promise<PlanView> {
    return this.plans.set(id, input, edited);
  }

  @Delete(':id')
  @Endpoint({ summary: 'Take a plan that no client has out of the draft', errors: [404, 409, 412] })
  async remove(@Param('id') id: string, @Edited() edited: EditedBy): Promise<void> {
    await this.plans.remove(id, edited);
  }
}

@ApiTags('subscriptions')
@Controller('control/v1/subscriptions')
export class SubscriptionsController {
  constructor(private readonly subscriptions: SubscriptionsService) {}

  @Get()
  @Endpoint({ summary: 'Which clients have which plans, those that wait first', answer: SubscriptionPage })
  page(@Query() query: SubscriptionQuery): Promise<SubscriptionPage> {
    return this.subscriptions.page(query);
  }

  @Post()
  @Endpoint({ summary: 'Give a client a plan; acts at once', body: SubscriptionInput, answer: SubscriptionChanged, status: 201, errors: [404, 409] })
  add(@Body() input: SubscriptionInput, @CalledBy() caller: Caller): Promise<SubscriptionChanged> {
    return this.subscriptions.add(input, caller.name);
  }

  @Patch(':id')
  @Endpoint({ summary: 'Approve, suspend, end or move a subscription; acts at once', body: SubscriptionPatch, answer: SubscriptionChanged, errors: [404, 409] })
  change(@Param('id') id: string, @Body() patch: SubscriptionPatch, @CalledBy() caller: Caller): Promise<SubscriptionChanged> {
    return this.subscriptions.change(id, patch, caller.name);
  }
}
