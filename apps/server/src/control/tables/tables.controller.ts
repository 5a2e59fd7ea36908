import { Body, Controller, Delete, Get, Param, Put } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { TableChanged, TableInput, TableList, TableView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { TablesService } from './tables.service.js';

@ApiTags('tables')
@Controller('control/v1/tables')
export class TablesController {
  constructor(private readonly tables: TablesService) {}

  @Get()
  @Endpoint({ summary: 'Tables that conditions look at', answer: TableList })
  list(): Promise<TableList> {
    return this.tables.list();
  }

  @Get(':name')
  @Endpoint({ summary: 'One table with its rows', answer: TableView, errors: [404] })
  view(@Param('name') name: string): Promise<TableView> {
    return this.tables.view(name);
  }

  @Put(':name')
  @Endpoint({ summary: 'Set a table, whole; acts at once on every node', body: TableInput, answer: TableChanged, errors: [409, 412] })
  set(@Param('name') name: string, @Body() input: TableInput, @Edited() edited: EditedBy): Promise<TableChanged> {
    return this.tables.set(name, input, edited);
  }

  @Delete(':name')
  @Endpoint({ summary: 'Take a table away; conditions that look at it refuse from then on', errors: [404, 412] })
  async remove(@Param('name') name: string, @Edited() edited: EditedBy): Promise<void> {
    await this.tables.remove(name, edited);
  }
}
